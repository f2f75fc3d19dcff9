package password_test

import (
	"strings"
	"testing"

	"twinsieve/service/password"
)

func TestMatches(t *testing.T) {
	hash := password.Hash("slack water at noon")
	if again := password.Hash("slack water at noon"); again == hash || !strings.HasPrefix(hash, "$argon2id$v=19$m=19456,t=2,p=1$") {
		t.Errorf("%s and %s", hash, again)
	}
	for _, c := range []struct {
		hash, text string
		want       bool
	}{
		{hash, "slack water at noon", true},
		{hash, "slack water at noon ", false},
		{hash, "", false},
		{"", "", false},
		{"", "slack water at noon", false},
		{"slack water at noon", "slack water at noon", false},
		{strings.Replace(hash, "t=2", "t=3", 1), "slack water at noon", false},
		{strings.Replace(hash, "v=19", "v=18", 1), "slack water at noon", false},
		{strings.Replace(hash, "p=1", "p=0", 1), "slack water at noon", false},
		{hash[:len(hash)-2] + "!!", "slack water at noon", false},
	} {
		if got := password.Matches(c.hash, c.text); got != c.want {
			t.Errorf("%q against %q: %v", c.text, c.hash, got)
		}
	}
}

func TestCheck(t *testing.T) {
	for text, want := range map[string]string{
		"":                        "at least 10",
		"ten chars.":              "",
		"Straße ü ∂":              "",
		"short":                   "at least 10",
		"aaaaaaaaaaaa":            "guessed",
		"Ines.Varga.Marrowick":    "guessed",
		strings.Repeat("ab", 99):  "guessed",
		"gantry pilot 14 kelp":    "",
		strings.Repeat("ab", 101): "at most 200",
	} {
		if got := password.Check(text, "ines.varga.marrowick"); want == "" && got != "" || !strings.Contains(got, want) {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}
