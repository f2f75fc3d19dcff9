package cli

import (
	"strings"
	"testing"
)

func TestParsePair(t *testing.T) {
	for in, want := range map[string]string{
		"call_no":                      "call_no",
		"call_no=Voyage Call":          "call_no = Voyage Call",
		" a = b : trim , ignore-case ": "a = b [trim ignore-case]",
		`"a=b"="c:d": trim`:            "a=b = c:d [trim]",
		"a: as decimal, within 0.05":   "a {as decimal within 0.05}",
		"a=b: left date YYYY-MM-DD, right date DD.MM.YYYY": "a = b [left date YYYY-MM-DD right date DD.MM.YYYY]",
		"a:": "a",
	} {
		p, err := parsePair("--key", in, "as", "within")
		if err != nil {
			t.Errorf("%q: %v", in, err)
			continue
		}
		got := p.columns.String()
		var readings []string
		for _, r := range p.readings {
			readings = append(readings, r.String())
		}
		if readings != nil {
			got += " [" + strings.Join(readings, " ") + "]"
		}
		if p.options["as"] != "" {
			got += " {as " + p.options["as"] + " within " + p.options["within"] + "}"
		}
		if got != want {
			t.Errorf("%q: %s, want %s", in, got, want)
		}
	}
	for in, want := range map[string]string{
		"":            `names no column`,
		"=b":          `names no column`,
		"a: shout":    `there is no reading "shout"`,
		"a: trim,":    `there is no reading ""`,
		"a: as":       `there is no reading "as"`,
		"a: blanks x": `there is no reading "blanks"`,
	} {
		if _, err := parsePair("--compare", in, "as", "within"); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", in, err, want)
		}
	}
}

func TestParseBytes(t *testing.T) {
	for in, want := range map[string]int64{"512": 512, "64MB": 64 << 20, "2 gb": 2 << 30, "1kb": 1024} {
		if got, err := parseBytes("--memory", in, 1); err != nil || got != want {
			t.Errorf("%q: %d %v, want %d", in, got, err, want)
		}
	}
	for _, in := range []string{"", "MB", "-1", "1.5GB", "lots"} {
		if _, err := parseBytes("--memory", in, 1); err == nil {
			t.Errorf("%q is a size", in)
		}
	}
}

func TestSetName(t *testing.T) {
	for in, want := range map[string]string{"/a/service-log.csv": "service-log", "invoices.2031.csv.gz": "invoices", ".hidden": ".hidden", "plain": "plain"} {
		if got := setName(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

func TestOneLine(t *testing.T) {
	if got := oneLine("a\nb\tc\x00d\u00e9"); got != "a↵b⇥c�dé" {
		t.Errorf("%q", got)
	}
}
