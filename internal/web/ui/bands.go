package ui

import (
	"fmt"
	"html/template"
	"strings"
)

// Band is a part of a strip of values that stood for a while; From and To
// are shares of its whole length.
type Band struct {
	From, To float64
	Shade    int // 0 for the usual value, which is quiet
	Title    string
}

// Shades is how many shades bands have.
const Shades = 8

const bandsWidth = 1000

// Bands draws which value stood when as one strip; nothing is drawn where it
// is not known.
func Bands(bands []Band, label string) template.HTML {
	var b strings.Builder
	fmt.Fprintf(
		&b,
		`<svg class="bands" viewBox="0 0 %d 28" preserveAspectRatio="none" role="img" aria-label="%s">`+
			`<rect class="none" width="%d" height="28"/>`,
		bandsWidth,
		template.HTMLEscapeString(label),
		bandsWidth,
	)
	for _, x := range bands {
		width := max(1, (x.To-x.From)*bandsWidth) // a moment can be seen, too
		fmt.Fprintf(&b, `<rect class="b%d" x="%.1f" width="%.1f" height="28"><title>%s</title></rect>`,
			min(x.Shade, Shades-1), x.From*bandsWidth, width, template.HTMLEscapeString(x.Title))
	}
	b.WriteString("</svg>")
	return template.HTML(b.String())
}
