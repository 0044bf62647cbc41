package identity

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// rows reads rows from texts like “eth1@5 aa down gone”: name, index, marks.
func rows(texts ...string) []Row {
	out := make([]Row, len(texts))
	for i, text := range texts {
		words := strings.Fields(text)
		r := Row{Living: true}
		r.Called, r.Index, _ = strings.Cut(words[0], "@")
		for _, w := range words[1:] {
			switch w {
			case "down":
				r.Living = false
			case "gone":
				r.Gone = true
			default:
				r.Marks = w
			}
		}
		out[i] = r
	}
	return out
}

func TestMatchRows(t *testing.T) {
	left := map[string]string{"5": "eth1"}
	for name, c := range map[string]struct {
		known, seen []Row
		left        map[string]string
		parts       []int
		reasons     []Reason
	}{
		"unchanged":            {rows("a@1", "b@2"), rows("a@1", "b@2"), nil, []int{0, 1}, []Reason{SameRow, SameRow}},
		"numbered anew":        {rows("a@1", "b@2"), rows("b@1", "a@2"), nil, []int{1, 0}, []Reason{OnlyOne, OnlyOne}},
		"new":                  {rows("a@1"), rows("a@1", "b@2"), nil, []int{0, -1}, []Reason{SameRow, Fresh}},
		"back under its name":  {rows("a@1 gone"), rows("a@7"), nil, []int{0}, []Reason{OnlyOne}},
		"there before gone":    {rows("a@1 gone", "a@2"), rows("a@9"), nil, []int{1}, []Reason{OnlyOne}},
		"without a name":       {rows("@1", "@2"), rows("@2", "@3"), nil, []int{1, -1}, []Reason{SameRow, Fresh}},
		"renamed":              {rows("a@1 xx"), rows("b@1 xx"), nil, []int{0}, []Reason{Renamed}},
		"renamed, as it seems": {rows("a@1"), rows("b@1"), nil, []int{-1}, []Reason{Fresh}},
		"index used again":     {rows("a@1 xx"), rows("b@1 yy"), nil, []int{-1}, []Reason{Fresh}},
		"index of one gone":    {rows("a@1 xx gone"), rows("b@1 xx"), nil, []int{-1}, []Reason{Fresh}},
		"card moved":           {rows("a@1 xx", "b@2 yy"), rows("a@2 yy", "b@1 xx"), nil, []int{0, 1}, []Reason{OnlyOne, OnlyOne}},

		"twins as before":        {rows("e@1", "e@2"), rows("e@1", "e@2"), nil, []int{0, 1}, []Reason{SameRow, SameRow}},
		"twins by their marks":   {rows("e@1 xx", "e@2 yy"), rows("e@1 yy", "e@2 xx"), nil, []int{1, 0}, []Reason{SameMark, SameMark}},
		"twins in their order":   {rows("e@9", "e@10"), rows("e@19", "e@20"), nil, []int{0, 1}, []Reason{InOrder, InOrder}},
		"one of the twins moved": {rows("e@1", "e@2"), rows("e@1", "e@7"), nil, []int{0, 1}, []Reason{SameRow, OnlyOne}},
		"a triplet": {
			rows("e@1", "e@2"), rows("e@1", "e@2", "e@3"), nil, []int{0, 1, -1}, []Reason{SameRow, SameRow, Fresh},
		},
		"a twin away for a look":      {rows("e@1", "e@2 gone"), rows("e@1", "e@2"), nil, []int{0, 1}, []Reason{SameRow, SameRow}},
		"no twin of one that is gone": {rows("e@1", "e@2 gone"), rows("e@1", "e@7"), nil, []int{0, -1}, []Reason{SameRow, Fresh}},
		"fewer, nothing to tell":      {rows("e@1", "e@2", "e@3"), rows("e@11", "e@12"), nil, []int{-1, -1}, []Reason{Fresh, Fresh}},

		"made again, old one listed": {rows("eth1@5"), rows("eth1@5 down", "eth1@9"), nil, []int{-1, 0}, []Reason{Left, Moved}},
		"still listed a look later":  {rows("eth1@9"), rows("eth1@5 down", "eth1@9"), left, []int{-1, 0}, []Reason{Left, SameRow}},
		"the old one lives again":    {rows("eth1@9"), rows("eth1@5", "eth1@9"), left, []int{-1, 0}, []Reason{Fresh, SameRow}},
		"its row used by another":    {rows("eth1@9"), rows("eth2@5 down", "eth1@9"), left, []int{-1, 0}, []Reason{Fresh, SameRow}},
		"a new one that is down":     {rows("eth1@5"), rows("eth1@5", "eth1@9 down"), nil, []int{0, -1}, []Reason{SameRow, Fresh}},
		"both live":                  {rows("eth1@5"), rows("eth1@5", "eth1@9"), nil, []int{0, -1}, []Reason{SameRow, Fresh}},
		"neither lives":              {rows("eth1@5"), rows("eth1@5 down", "eth1@9 down"), nil, []int{0, -1}, []Reason{SameRow, Fresh}},
		"two new ones": {
			rows("eth1@5"), rows("eth1@5 down", "eth1@8", "eth1@9"), nil, []int{0, -1, -1}, []Reason{SameRow, Fresh, Fresh},
		},
		"twins, one is down": {rows("e@1", "e@2"), rows("e@1 down", "e@2"), nil, []int{0, 1}, []Reason{SameRow, SameRow}},
	} {
		var parts []int
		var reasons []Reason
		for _, m := range MatchRows(c.known, c.seen, c.left) {
			parts, reasons = append(parts, m.Part), append(reasons, m.Reason)
		}
		assert.Equal(t, c.parts, parts, name)
		assert.Equal(t, c.reasons, reasons, name)
	}
}

// A stack of switches lives through everything that happens in the field. What
// each part truly is stands in its planted number: no part may ever go on with
// another thing's history, and one that only moved or was renamed keeps its own.
func TestPartsFollowThePlantedTruth(t *testing.T) {
	r := rand.New(rand.NewPCG(20, 26))
	for life := range 200 {
		w := planted{r: r, truth: map[int]int{}, before: map[int]place{}}
		for range 3 + r.IntN(8) {
			w.plug()
		}
		for look := range 40 {
			w.happen()
			w.look(t, fmt.Sprintf("life %d, look %d", life, look))
		}
	}
}

type port struct {
	thing int // planted truth
	row   Row
}

type planted struct {
	r      *rand.Rand
	things int
	ports  []port
	known  []Row
	left   map[string]string
	truth  map[int]int   // by part: the thing that it stands for
	before map[int]place // by thing: where the look before saw it
}

type place struct {
	part int
	row  Row
}

// plug adds a thing of its own name and address under a free index.
func (w *planted) plug() {
	w.things++
	w.ports = append(
		w.ports,
		port{w.things, Row{Called: fmt.Sprint("port", w.things), Index: w.index(), Marks: fmt.Sprint("m", w.things), Living: true}},
	)
}

func (w *planted) index() string {
	for {
		index := fmt.Sprint(1 + w.r.IntN(30))
		used := false
		for _, p := range w.ports {
			used = used || p.row.Index == index
		}
		if !used {
			return index
		}
	}
}

func (w *planted) happen() {
	if len(w.ports) == 0 {
		w.plug()
		return
	}
	i := w.r.IntN(len(w.ports))
	switch w.r.IntN(7) {
	case 0: // a port is taken out; its index may be used again at once
		w.ports = append(w.ports[:i:i], w.ports[i+1:]...)
	case 1:
		w.plug()
	case 2: // the agent starts anew and numbers all rows anew
		all := w.r.Perm(30)
		for k := range w.ports {
			w.ports[k].row.Index = fmt.Sprint(all[k] + 1)
		}
	case 3: // renamed
		w.things++
		w.ports[i].row.Called = fmt.Sprint("renamed", w.things)
	case 4: // a cable is pulled
		w.ports[i].row.Living = !w.ports[i].row.Living
	case 5: // another card of the same name in the same place
		w.things++
		w.ports[i].thing, w.ports[i].row.Marks = w.things, fmt.Sprint("m", w.things)
	case 6: // it moves to another row
		w.ports[i].row.Index = w.index()
	}
}

func (w *planted) look(t *testing.T, when string) {
	t.Helper()
	seen := make([]Row, len(w.ports))
	for i, p := range w.ports {
		seen[i] = p.row
	}
	match := MatchRows(w.known, seen, w.left)
	for k := range w.known {
		w.known[k].Gone = true
	}
	used, now := map[int]bool{}, map[int]place{}
	for i, m := range match {
		part := m.Part
		if part < 0 {
			w.known = append(w.known, Row{})
			part = len(w.known) - 1
			w.truth[part] = w.ports[i].thing
		}
		require.False(t, used[part], "%s: two rows are one part", when)
		used[part] = true
		w.known[part] = seen[i]
		// A card of the same name in the same place is the same part to people:
		// its counters begin anew. Anything else must be what it was.
		if w.truth[part] != w.ports[i].thing {
			require.Equal(t, m.Reason, OnlyOne, "%s: %s", when, seen[i].Called)
			w.truth[part] = w.ports[i].thing
		}
		now[w.ports[i].thing] = place{part, seen[i]}
		if old, ok := w.before[w.ports[i].thing]; ok && (old.row.Called == seen[i].Called || old.row.Index == seen[i].Index) {
			require.Equal(t, old.part, part, "%s: %s lost its history", when, seen[i].Called)
		}
	}
	w.before = now
}
