package reading

import (
	"fmt"
	"strings"
)

// quote writes an argument such that [unquote] reads it again, and a list of readings can be divided at commas.
func quote(argument string) string {
	if strings.TrimSpace(argument) != argument || strings.ContainsAny(argument, `,"`) {
		return `"` + strings.ReplaceAll(argument, `"`, `""`) + `"`
	}
	return argument
}

func unquote(text string) (string, error) {
	if !strings.HasPrefix(text, `"`) {
		return text, nil
	}
	inner := strings.ReplaceAll(text[1:], `""`, "\x00")
	at := strings.IndexByte(inner, '"')
	if at < 0 || at != len(inner)-1 {
		return "", fmt.Errorf("%s begins with a quote, and does not end with the one that closes it; inside quotes a quote is written twice", text)
	}
	return strings.ReplaceAll(inner[:at], "\x00", `"`), nil
}

// Split divides a list of readings, "trim, drop-beginning \"MW, \", ignore-case", at its commas, but not inside quotes.
func Split(list string) []string {
	var items []string
	start, quoted := 0, false
	for i := range len(list) {
		switch {
		case list[i] == '"':
			quoted = !quoted
		case list[i] == ',' && !quoted:
			items = append(items, strings.TrimSpace(list[start:i]))
			start = i + 1
		}
	}
	return append(items, strings.TrimSpace(list[start:]))
}
