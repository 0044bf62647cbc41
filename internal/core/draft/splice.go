package draft

import (
	"cmp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// splice is some lines of the text that others take the place of.
type splice struct {
	from, to int // from 0, to is not among them
	text     string
}

// commit brings the text in step with the tree by some splices, from below so that lines keep their numbers. Where
// that would say anything else than the tree, the whole file is written anew.
func (d *Draft) commit(splices []splice, ok bool) error {
	root := d.root
	shall := plain(root)
	if ok {
		lines := strings.SplitAfter(strings.TrimSuffix(d.text, "\n")+"\n", "\n")
		slices.SortStableFunc(splices, func(a, b splice) int { return cmp.Compare(b.from, a.from) })
		for _, s := range splices {
			lines = slices.Replace(lines, s.from, min(s.to, len(lines)), s.text)
		}
		before := d.text
		d.text = strings.Join(lines, "")
		if d.parse() == nil && plain(d.root) == shall {
			return nil
		}
		d.text = before
	}
	d.text = written(root)
	return d.parse()
}

// span is the lines of a thing; ok is false where it does not stand on lines of its own.
func (d *Draft) span(p Place) (from, to int, ok bool) {
	i := keyAt(d.root, p.Section)
	list := d.root.Content[i+1]
	if list.Style&yaml.FlowStyle != 0 {
		return 0, 0, false
	}
	from, to = list.Content[p.At].Line-1, d.endOf(i)
	if p.At+1 < len(list.Content) {
		to = list.Content[p.At+1].Line - 1
	}
	lines := d.lines()
	if from >= to || to > len(lines) || !strings.HasPrefix(strings.TrimLeft(lines[from], " "), "- ") {
		return 0, 0, false
	}
	return from, trimmed(lines, from, to), true
}

// wholeSpan is the lines of a thing with the comments that stand right above it: they are about it.
func (d *Draft) wholeSpan(p Place) (from, to int, ok bool) {
	if from, to, ok = d.span(p); !ok {
		return from, to, false
	}
	lines := d.lines()
	for from > 0 && strings.HasPrefix(strings.TrimSpace(lines[from-1]), "#") {
		from--
	}
	return from, to, true
}

// keySpan is the lines of a setting of the kit itself.
func (d *Draft) keySpan(key string) (from, to int, ok bool) {
	i := keyAt(d.root, key)
	if d.root.Style&yaml.FlowStyle != 0 {
		return 0, 0, false
	}
	from = d.root.Content[i].Line - 1
	return from, trimmed(d.lines(), from, d.endOf(i)), true
}

// endOf is the line behind a key of the file and all below it.
func (d *Draft) endOf(i int) int {
	if i+2 < len(d.root.Content) {
		return d.root.Content[i+2].Line - 1
	}
	return len(d.lines())
}

func (d *Draft) lines() []string { return strings.Split(strings.TrimSuffix(d.text, "\n"), "\n") }

// trimmed leaves out what stands behind a thing and belongs to none, or to the next: empty lines and comments.
func trimmed(lines []string, from, to int) int {
	for to > from+1 {
		line := strings.TrimSpace(lines[to-1])
		if line != "" && !strings.HasPrefix(line, "#") {
			break
		}
		to--
	}
	return to
}

// asItem writes a thing as one of a list, with some spaces before it.
func asItem(item *yaml.Node, indent int) string {
	bare := *item
	bare.HeadComment, bare.FootComment = "", "" // they stand before and behind its lines
	if n := len(item.Content); n > 0 {
		last := *item.Content[n-2]
		last.FootComment = ""
		bare.Content = append(slices.Clone(item.Content[:n-2]), &last, item.Content[n-1])
	}
	pad := strings.Repeat(" ", indent)
	lines := strings.SplitAfter(strings.TrimSuffix(written(&bare), "\n"), "\n")
	var out strings.Builder
	for i, line := range lines {
		switch {
		case i == 0:
			out.WriteString(pad + "- ")
		case strings.TrimSpace(line) != "":
			out.WriteString(pad + "  ")
		}
		out.WriteString(line)
	}
	return out.String() + "\n"
}

// rewrite is the splice that brings the lines of a thing in step with the tree.
func (d *Draft) rewrite(p Place) (splice, bool) {
	from, to, ok := d.span(p)
	if !ok {
		return splice{}, false
	}
	line := d.lines()[from]
	indent := len(line) - len(strings.TrimLeft(line, " "))
	return splice{from, to, asItem(d.node(p), indent)}, true
}
