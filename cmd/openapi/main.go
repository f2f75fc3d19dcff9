// Command openapi prints the OpenAPI document of the HTTP interface, from which the console's types are generated.
package main

import (
	"fmt"
	"os"

	"twinsieve/api"
)

func main() {
	text, err := api.Document()
	if err != nil {
		fmt.Fprintln(os.Stderr, "openapi:", err)
		os.Exit(1)
	}
	fmt.Println(string(text))
}
