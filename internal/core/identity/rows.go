package identity

import (
	"cmp"
	"slices"
	"strings"
)

// Row is a row of a device's table, as a part remembers it or as it is seen now.
type Row struct {
	// Called is what the device calls it, such as ifName; empty where it has no name.
	Called string
	Index  string
	// Marks are what only the same thing has, whatever it is called and wherever
	// its row stands, such as a hardware address; empty where nothing is known.
	Marks string
	// Living is false for a row that the device lists though what it stands for
	// does not work now, or is not there any more. Of rows that are seen only.
	Living bool
	// Gone is true for a part whose row was not among those seen last. Of parts only.
	Gone bool
}

// Reason says why a row is taken for a part, or for none.
type Reason string

// The reasons, in the order in which they are looked for.
const (
	SameRow  Reason = "its name and its row are those of before"
	SameMark Reason = "its name and its marks are those of before, in another row"
	OnlyOne  Reason = "it is the only row of this name, and the part the only one"
	InOrder  Reason = "as many rows as before have this name, and nothing but their order tells them apart"
	Renamed  Reason = "its row and its marks are those of before, under another name"
	Moved    Reason = "the row of before does not work any more, and a new one of the same name does"
	Fresh    Reason = "no part has its name and its row or its marks"
	Left     Reason = "the part of this name is another row now; the device still lists this one"
)

// Match is what a row was taken for.
type Match struct {
	Part   int // its place among the known parts, or -1
	Reason Reason
}

// MatchRows tells for each row seen which known part it is, so that history
// stays with what it belongs to when rows are numbered anew, renamed, removed
// and made again. left are rows that a part of the same name has left, by
// index: they are no parts as long as they do not live.
//
// A row never takes the history of another thing just because it stands in its
// place: of a part that is gone only a row of the same name may, and a row of
// another name needs the same marks.
func MatchRows(known, seen []Row, left map[string]string) []Match {
	m := matching{known: known, seen: seen, out: make([]Match, len(seen)), taken: make([]bool, len(known))}
	for i := range m.out {
		m.out[i] = Match{-1, Fresh}
	}
	m.pair(SameRow, func(r Row) string { return r.Called + "\x00" + r.Index }, func(k, s Row) bool { return !differ(k.Marks, s.Marks) })
	m.pair(
		SameMark,
		func(r Row) string { return r.Called + "\x00" + r.Marks },
		func(k, s Row) bool { return s.Called != "" && s.Marks != "" },
	)
	m.byName()
	m.pair(Renamed, func(r Row) string { return r.Index + "\x00" + r.Marks }, func(k, s Row) bool { return !k.Gone && s.Marks != "" })
	m.move()
	m.leave(left)
	return m.out
}

type matching struct {
	known, seen []Row
	out         []Match
	taken       []bool // known parts
}

func differ(a, b string) bool { return a != "" && b != "" && a != b }

func (m *matching) set(seen, known int, why Reason) {
	m.out[seen] = Match{known, why}
	m.taken[known] = true
}

func (m *matching) free(seen int) bool { return m.out[seen].Part < 0 }

// pair joins rows to parts of the same key where both are the only ones that
// have it; a part that is there goes before those that are gone.
func (m *matching) pair(why Reason, key func(Row) string, may func(known, seen Row) bool) {
	parts := map[string][]int{}
	for k, r := range m.known {
		if !m.taken[k] {
			parts[key(r)] = append(parts[key(r)], k)
		}
	}
	rows := map[string][]int{}
	for s, r := range m.seen {
		if m.free(s) {
			rows[key(r)] = append(rows[key(r)], s)
		}
	}
	for k, same := range rows {
		if part, ok := m.only(parts[k]); ok && len(same) == 1 && may(m.known[part], m.seen[same[0]]) {
			m.set(same[0], part, why)
		}
	}
}

// only returns the one part that is there, else the one that is gone.
func (m *matching) only(parts []int) (int, bool) {
	there := slices.DeleteFunc(slices.Clone(parts), func(k int) bool { return m.known[k].Gone })
	if len(there) > 0 {
		return there[0], len(there) == 1
	}
	if len(parts) == 1 {
		return parts[0], true
	}
	return 0, false
}

// byName joins what is left of each name: one to one, or in the order of the
// rows where there are as many as before.
func (m *matching) byName() {
	rows, all := map[string][]int{}, map[string]int{}
	for s, r := range m.seen {
		all[r.Called]++
		if m.free(s) && r.Called != "" {
			rows[r.Called] = append(rows[r.Called], s)
		}
	}
	parts := map[string][]int{}
	for k, r := range m.known {
		if !m.taken[k] {
			parts[r.Called] = append(parts[r.Called], k)
		}
	}
	for name, same := range rows {
		// One more row of a name that others have does not bring back what is gone.
		if part, ok := m.only(parts[name]); ok && len(same) == 1 && (!m.known[part].Gone || all[name] == 1) {
			m.set(same[0], part, OnlyOne)
			continue
		}
		there := slices.DeleteFunc(slices.Clone(parts[name]), func(k int) bool { return m.known[k].Gone })
		if len(there) == len(same) && len(same) > 1 {
			m.inOrder(same, there)
		}
	}
}

func (m *matching) inOrder(rows, parts []int) {
	order := func(of []Row) func(a, b int) int {
		return func(a, b int) int { return compareIndex(of[a].Index, of[b].Index) }
	}
	slices.SortFunc(rows, order(m.seen))
	slices.SortFunc(parts, order(m.known))
	for i := range rows {
		m.set(rows[i], parts[i], InOrder)
	}
}

// compareIndex puts 9 before 10: indexes are numbers with dots between.
func compareIndex(a, b string) int {
	return slices.CompareFunc(strings.Split(a, "."), strings.Split(b, "."), func(x, y string) int {
		return cmp.Or(cmp.Compare(len(x), len(y)), cmp.Compare(x, y))
	})
}

// move gives a part whose row does not live any more to the one new row of its
// name that does.
func (m *matching) move() {
	rows, holders := map[string][]int{}, map[string][]int{}
	for s, r := range m.seen {
		if r.Called == "" {
			continue
		}
		if m.free(s) {
			rows[r.Called] = append(rows[r.Called], s)
		} else {
			holders[r.Called] = append(holders[r.Called], s)
		}
	}
	for name, fresh := range rows {
		held := holders[name]
		if len(fresh) != 1 || len(held) != 1 || m.seen[held[0]].Living || !m.seen[fresh[0]].Living {
			continue
		}
		m.set(fresh[0], m.out[held[0]].Part, Moved)
		m.out[held[0]] = Match{-1, Left}
	}
}

// leave keeps rows out that a part has left, as long as they do not live.
func (m *matching) leave(left map[string]string) {
	for s, r := range m.seen {
		if name, ok := left[r.Index]; ok && m.free(s) && name == r.Called && !r.Living {
			m.out[s] = Match{-1, Left}
		}
	}
}
