package page

import (
	"net/url"
	"slices"
	"strings"

	"golang.org/x/net/html"
)

// mostForms and mostControls bound what is kept of a page.
const (
	mostForms    = 50
	mostControls = 500
)

// control is what people fill or press in a form.
type control struct {
	tag, kind string // of an input: its type
	id, name  string
	value     string
	meant     string // autocomplete: what the page says that it is for
	owner     string // the id of its form, where it says one
	action    string // of a button: another place to send to
	method    string
	encoding  string
	checked   bool
	disabled  bool
	place     int // among all of the page
}

// block is a form as it stands in a page.
type block struct {
	id, name                 string
	action, method, encoding string
	controls                 []control
}

// content is what a page holds of forms.
type content struct {
	base    string // what addresses are relative to, where the page says so
	refresh string // where it sends on by itself
	blocks  []block
	loose   []control // outside of any form
	scripts bool
}

// reader reads a page token by token. A form owns what stands between its tags whatever is around it, a table for
// example, just as browsers have it (HTML, 13.2.4.4, the form element pointer).
type reader struct {
	out      content
	inside   int // which form is open; -1 for none
	skipped  int // how deep in templates, of which nothing is shown
	controls int
	chosen   *control // the select or the text area that is open
	option   *string  // the text of an option that names no value
	picked   bool     // an option of the select was marked
	unrun    bool     // what follows is for those who run no script, as we do
	within   bool     // of such a piece
}

func read(raw string) content {
	r := reader{inside: -1}
	r.read(raw)
	r.close()
	r.adopt()
	return r.out
}

func (r *reader) read(raw string) {
	z := html.NewTokenizer(strings.NewReader(raw))
	for {
		switch z.Next() {
		case html.ErrorToken:
			return
		case html.StartTagToken, html.SelfClosingTagToken:
			r.start(z.Token())
		case html.EndTagToken:
			r.end(z.Token().Data)
		case html.TextToken:
			r.text(string(z.Text()))
		}
	}
}

func attributes(t html.Token) map[string]string {
	out := map[string]string{}
	for _, a := range slices.Backward(t.Attr) { // of several, the first counts
		out[a.Key] = a.Val
	}
	return out
}

func (r *reader) start(t html.Token) {
	a := attributes(t)
	_, disabled := a["disabled"]
	switch t.Data {
	case "noscript":
		r.unrun = !r.within
	case "template":
		r.skipped++
	case "script":
		r.out.scripts = true
	case "base":
		if r.out.base == "" {
			r.out.base = a["href"]
		}
	case "meta":
		if strings.EqualFold(strings.TrimSpace(a["http-equiv"]), "refresh") && r.out.refresh == "" {
			r.out.refresh = a["content"]
		}
	case "form":
		if r.inside < 0 && r.skipped == 0 && len(r.out.blocks) < mostForms {
			r.out.blocks = append(r.out.blocks,
				block{id: a["id"], name: a["name"], action: a["action"], method: a["method"], encoding: a["enctype"]})
			r.inside = len(r.out.blocks) - 1
		}
	case "input", "button", "select", "textarea":
		_, checked := a["checked"]
		r.open(control{tag: t.Data, kind: strings.ToLower(strings.TrimSpace(a["type"])), id: a["id"], name: a["name"], value: a["value"],
			meant: strings.ToLower(a["autocomplete"]), owner: a["form"], action: a["formaction"], method: a["formmethod"],
			encoding: a["formenctype"], checked: checked, disabled: disabled})
	case "option":
		r.choose(a, disabled)
	}
}

// open begins a control; what it holds may follow.
func (r *reader) open(c control) {
	r.close()
	if r.skipped > 0 {
		return
	}
	if c.tag == "input" || c.tag == "button" {
		r.add(c)
		return
	}
	c.value = ""
	r.chosen, r.picked = &c, false
}

// choose takes an option: the first that is not disabled, or the one that is marked.
func (r *reader) choose(a map[string]string, disabled bool) {
	r.option = nil
	if r.chosen == nil || r.chosen.tag != "select" || disabled {
		return
	}
	_, marked := a["selected"]
	if r.chosen.checked && (r.picked || !marked) {
		return
	}
	r.chosen.checked, r.picked = true, marked // checked: it has a value
	value, is := a["value"]
	r.chosen.value = value
	if !is {
		r.option = &r.chosen.value
	}
}

func (r *reader) text(s string) {
	switch {
	case r.unrun: // comes as one text, which may hold no other such element
		r.unrun, r.within = false, true
		r.read(s)
		r.within = false
	case r.option != nil:
		*r.option = strings.Join(strings.Fields(s), " ")
	case r.chosen != nil && r.chosen.tag == "textarea":
		r.chosen.value += s
	}
}

func (r *reader) end(tag string) {
	switch tag {
	case "noscript":
		r.unrun = false
	case "template":
		r.skipped = max(0, r.skipped-1)
	case "select", "textarea":
		r.close()
	case "option":
		r.option = nil
	case "form":
		if r.skipped == 0 {
			r.close()
			r.inside = -1
		}
	}
}

// close ends the control that is open.
func (r *reader) close() {
	if r.chosen != nil {
		c := *r.chosen
		r.chosen, r.option = nil, nil
		r.add(c)
	}
}

func (r *reader) add(c control) {
	if r.controls++; r.controls > mostControls {
		return
	}
	c.place = r.controls
	if r.inside >= 0 && c.owner == "" {
		b := &r.out.blocks[r.inside]
		b.controls = append(b.controls, c)
		return
	}
	r.out.loose = append(r.out.loose, c)
}

// adopt gives controls to the forms that they name, wherever they stand.
func (r *reader) adopt() {
	var left []control
	for _, c := range r.out.loose {
		i := slices.IndexFunc(r.out.blocks, func(b block) bool { return c.owner != "" && b.id == c.owner })
		if i < 0 {
			left = append(left, c)
			continue
		}
		r.out.blocks[i].controls = append(r.out.blocks[i].controls, c)
	}
	r.out.loose = left
	for _, b := range r.out.blocks {
		slices.SortFunc(b.controls, func(a, b control) int { return a.place - b.place })
	}
}

// resolve is an address of a page that came from another one.
func (c content) resolve(at *url.URL, ref string) (*url.URL, error) {
	if c.base != "" {
		if base, err := at.Parse(c.base); err == nil {
			at = base
		}
	}
	return at.Parse(strings.TrimSpace(ref))
}

// Refresh is where a page sends on whoever looks at it (HTML, 4.2.5.3, the refresh pragma); nil where it does not.
func Refresh(raw string, at *url.URL) *url.URL {
	c := read(raw)
	_, to, is := strings.Cut(c.refresh, ";")
	to = strings.TrimSpace(to)
	if !is || len(to) < 4 || !strings.EqualFold(to[:3], "url") {
		return nil
	}
	to = strings.Trim(strings.TrimLeft(to[3:], " ="), `'"`)
	next, err := c.resolve(at, to)
	if err != nil || to == "" || next.Scheme != "http" && next.Scheme != "https" || next.Host == "" {
		return nil
	}
	return next
}

// Asks tells whether a form of a page asks for a password: whoever sees it is not in.
func Asks(raw string) bool {
	for _, b := range read(raw).blocks {
		if slices.ContainsFunc(b.controls, control.password) {
			return true
		}
	}
	return false
}
