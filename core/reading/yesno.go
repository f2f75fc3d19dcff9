package reading

import (
	"fmt"
	"strings"
	"unicode"
)

// yesNo are the words that are read without an argument.
var yesNo = [2][]string{{"yes", "y", "true", "t", "1", "on"}, {"no", "n", "false", "f", "0", "off"}}

// compileYesNo reads a truth value as the text yes or no. An argument such as ja/nej says the two words. Letter case and outer
// spaces do not matter; any other text is unreadable.
func compileYesNo(argument string) (step, error) {
	words := yesNo
	if argument != "" {
		yes, no, ok := strings.Cut(argument, "/")
		if words = [2][]string{{strings.ToLower(yes)}, {strings.ToLower(no)}}; !ok || yes == "" || no == "" || words[0][0] == words[1][0] {
			return nil, fmt.Errorf("%q does not say the two words; write them as ja/nej", argument)
		}
	}
	given := map[string]string{}
	for i, says := range []string{"yes", "no"} {
		for _, w := range words[i] {
			given[w] = says
		}
	}
	return func(dst, src []byte) ([]byte, bool) {
		says, ok := given[strings.ToLower(strings.TrimFunc(string(src), unicode.IsSpace))]
		return append(dst, says...), ok
	}, nil
}
