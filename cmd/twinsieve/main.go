// Command twinsieve is Twin Sieve: the service, and the client that speaks to it.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"twinsieve/cli"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	status := cli.Run(ctx, os.Args[1:])
	stop()
	os.Exit(status)
}
