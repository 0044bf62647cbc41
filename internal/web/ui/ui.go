// Package ui holds the layout, shared partials, template functions and
// static assets.
package ui

import (
	"embed"
	"fmt"
	"html/template"
	"io/fs"
	"math"
	"reflect"
	"strings"
	"time"

	"tirelessowl/internal/core/ribbon"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

//go:embed all:static
var static embed.FS

//go:embed tmpl/*.html
var layout embed.FS

// Static returns the files that the browser loads.
func Static() fs.FS {
	files, err := fs.Sub(static, "static")
	if err != nil {
		panic(err) // the folder is embedded: it cannot be missing
	}
	return files
}

// Layout returns the templates that all screens share.
func Layout() fs.FS { return layout }

// Funcs are the template functions.
func Funcs() template.FuncMap {
	return template.FuncMap{
		"glyph": Glyph, "ribbon": Ribbon, "bands": Bands, "value": units.Format, "unit": units.Symbol, "span": units.Span, "ago": Ago,
		"clock":    func(t time.Time) template.HTML { return Time(t, "clock", "15:04:05") },
		"day":      func(t time.Time) template.HTML { return Time(t, "day", "2 Jan 15:04") },
		"upper":    func(s any) string { return text.UpperFirst(fmt.Sprint(s)) },
		"healthof": func(word string) domain.Health { return domain.Health(word) },
		"count":    Count, "meter": Meter, "join": strings.Join, "health": func(l domain.Level) domain.Health { return domain.HealthOf(l) },
		"list": func(items ...any) []any { return items }, "pair": func(a, b any) Pair { return Pair{a, b} },
		"empty": NewEmpty, "pick": NewPick, "tick": NewTick,
		"flag": Flag, "attr": Attr, "when": When,
		"lower": strings.ToLower, "link": Link, "thousands": Thousands,
		"brief": func(s string) string { return text.Brief(s, briefly) },
		"plus1": func(n int) int { return n + 1 },
		"minus": func(a, b int) int { return a - b },
	}
}

// briefly is how much of a long list is shown where it only has to be known again, in bytes.
const briefly = 120

// Link returns the page of what a fact refers to; empty when there is none.
func Link(r *why.Ref) string {
	if r == nil {
		return ""
	}
	pages := map[string]string{
		"device":   "/devices/%d",
		"series":   "/series/%d",
		"rule":     "/judge/rules/%d",
		"incident": "/incidents/%d",
		"place":    "/run/places/%d",
		"team":     "/run/teams/%d",
		"plan":     "/respond/plans#plan-%d",
	}
	if page, ok := pages[r.Kind]; ok && r.ID != 0 {
		return fmt.Sprintf(page, r.ID)
	}
	return ""
}

// Pair hands two things to a partial.
type Pair struct{ A, B any }

// Glyph draws the sign of a state of health, with its word for those who do
// not see it.
func Glyph(h domain.Health) template.HTML {
	return template.HTML(
		fmt.Sprintf(
			`<svg class="glyph %[1]s" role="img" aria-label="%[1]s"><title>%[1]s</title><use href="/static/glyphs.svg#%[1]s"/></svg>`,
			template.HTMLEscapeString(string(h)),
		),
	)
}

// slotHeights of a ribbon, of 18: a third, two thirds, full.
var slotHeights = map[domain.Health]float64{
	domain.Notice:      6,
	domain.Warning:     12,
	domain.Critical:    18,
	domain.Unreachable: 16,
	domain.Unknown:     8,
	domain.Paused:      2,
	domain.Maintenance: 4,
}

// Ribbon draws health over time as one strip: one slot for each state, empty
// where it was fine.
func Ribbon(strip []domain.Health, label string) template.HTML {
	var b strings.Builder
	fmt.Fprintf(
		&b,
		`<svg class="ribbon" viewBox="0 0 %d 18" preserveAspectRatio="none" role="img" aria-label="%s"><path class="base" d="M0 17.5H%d"/>`,
		len(strip),
		template.HTMLEscapeString(label+": "+Spoken(strip)),
		len(strip),
	)
	paths := map[domain.Health]*strings.Builder{}
	for i, h := range strip {
		height := slotHeights[h]
		if height == 0 {
			continue
		}
		if paths[h] == nil {
			paths[h] = &strings.Builder{}
		}
		fmt.Fprintf(paths[h], "M%.2f 18v-%gh.76v%gz", float64(i)+.12, height, height)
	}
	for _, h := range domain.AllHealth() {
		if p := paths[h]; p != nil {
			fmt.Fprintf(&b, `<path class="%s" d="%s"/>`, h, p)
		}
	}
	b.WriteString("</svg>")
	return template.HTML(b.String())
}

// Spoken reads a ribbon in words: how much of the time it was not fine.
func Spoken(strip []domain.Health) string {
	total := map[domain.Health]int{}
	for _, run := range ribbon.Runs(strip) {
		total[run.Health] += run.Len
	}
	var parts []string
	for _, h := range domain.AllHealth() {
		if n := total[h]; n > 0 && h != domain.Fine {
			parts = append(parts, fmt.Sprintf("%s in %d of %d slots", h, n, len(strip)))
		}
	}
	if len(parts) == 0 {
		return "fine all the time"
	}
	return strings.Join(parts, ", ")
}

// Time writes a moment; the browser shows it in the viewer's zone.
func Time(t time.Time, form, layout string) template.HTML {
	if t.IsZero() {
		return "–"
	}
	return template.HTML(
		fmt.Sprintf(`<time datetime="%s" data-form="%s">%s</time>`, t.UTC().Format(time.RFC3339), form, t.UTC().Format(layout)),
	)
}

// Ago writes how long a moment is past.
func Ago(t time.Time) string {
	if t.IsZero() {
		return "–"
	}
	return units.Span(time.Since(t))
}

// Count writes a number with its noun: 1 device, 2 devices.
func Count(n any, one string) string { return text.Count(whole(n), one) }

// Thousands writes a whole number with separators.
func Thousands(n any) string { return text.Thousands(whole(n)) }

func whole(n any) int64 {
	v := reflect.ValueOf(n)
	switch {
	case v.CanInt():
		return v.Int()
	case v.CanUint():
		return int64(v.Uint())
	}
	return 0
}

// Meter draws a share in per cent as a bar.
func Meter(percent float64, level string) template.HTML {
	width := math.Max(0, math.Min(100, percent))
	return template.HTML(
		fmt.Sprintf(
			`<svg class="meter" viewBox="0 0 100 8" preserveAspectRatio="none" aria-hidden="true">`+
				`<rect class="track" width="100" height="8" rx="4"/>`+
				`<rect class="full %s" width="%.1f" height="8" rx="4"/></svg>`,
			template.HTMLEscapeString(level),
			width,
		),
	)
}

// Folder returns a folder of embedded files.
func Folder(files fs.FS, name string) fs.FS {
	out, err := fs.Sub(files, name)
	if err != nil {
		panic(fmt.Sprintf("embedded folder %s: %v", name, err)) // cannot be: it is compiled in
	}
	return out
}

// Flag is an attribute without a value, such as selected, where something is so.
func Flag(name string, is any) template.HTMLAttr {
	if !truth(is) {
		return ""
	}
	return template.HTMLAttr(name)
}

// Attr is an attribute with a value; it is left out where the value is empty, or where
// the condition, if there is one, does not hold. Names are written in templates: they
// are no addresses and no scripts.
func Attr(name string, value any, is ...any) template.HTMLAttr {
	if len(is) > 0 && !truth(is[0]) || !truth(value) {
		return ""
	}
	return template.HTMLAttr(name + `="` + template.HTMLEscapeString(fmt.Sprint(value)) + `"`)
}

// When is a word where something is so, for classes.
func When(is any, word string) string {
	if !truth(is) {
		return ""
	}
	return word
}

func truth(x any) bool {
	is, _ := template.IsTrue(x)
	return is
}
