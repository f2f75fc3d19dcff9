package paper

import (
	"fmt"
	"html/template"
	"io"
	"math"
	"strconv"
	"strings"

	_ "embed"
)

//go:embed page.html
var pageText string

var page = template.Must(template.New("page").Funcs(template.FuncMap{"chart": chart, "aside": aside, "number": func(n int64) string { return Grouped(strconv.FormatInt(n, 10), 0) }}).Parse(pageText))

// HTML writes a document as a page that stands alone: it needs nothing from anywhere, runs nothing, and prints on A4.
func HTML(w io.Writer, d *Document) error { return page.Execute(w, d) }

// chart draws a balance as vector graphics.
func chart(b Balance) template.HTML {
	const width, height = 1080.0, 190.0
	var out strings.Builder
	esc := template.HTMLEscapeString
	var words []string
	drawn := bridgeOf(b, width, height, 20, 26)
	list := drawn.Bars
	for _, s := range list {
		words = append(words, s.Label+" "+s.Text)
	}
	fmt.Fprintf(&out, `<svg viewBox="0 0 %g %g" role="img" aria-label="%s">`, width, height, esc(strings.Join(words, "; ")))
	if !math.IsNaN(drawn.Zero) {
		fmt.Fprintf(&out, `<line x1="0" x2="%g" y1="%.1f" y2="%.1f" stroke="%s"/>`, width, drawn.Zero, drawn.Zero, hex("line"))
	}
	for i, s := range list {
		fmt.Fprintf(&out, `<rect x="%.1f" y="%.1f" width="%.1f" height="%.1f" fill="%s"/>`, s.X, s.Y, s.Width, s.Height, hex(s.Fill))
		if i < len(list)-1 {
			fmt.Fprintf(&out, `<line x1="%.1f" x2="%.1f" y1="%.1f" y2="%.1f" stroke="%s" stroke-dasharray="2 2"/>`, s.X+s.Width, list[i+1].X, s.Next, s.Next, hex("grey"))
		}
		middle := s.X + s.Width/2
		fmt.Fprintf(&out, `<text x="%.1f" y="%.1f" text-anchor="middle">%s</text><text x="%.1f" y="%.1f" text-anchor="middle" fill="#5a6864">%s</text>`,
			middle, s.Y-5, esc(s.Text), middle, height-8, esc(cut(s.Label, 18)))
	}
	out.WriteString("</svg>")
	return template.HTML(out.String()) //nolint:gosec // every text in it is escaped
}

// cut shortens a text to so many characters.
func cut(text string, most int) string {
	if runes := []rune(text); len(runes) > most {
		return string(runes[:most-1]) + "…"
	}
	return text
}
