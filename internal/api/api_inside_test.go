package api

import (
	"encoding/json"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
)

func TestTheCharacterNULIsFoundInTexts(t *testing.T) {
	for document, has := range map[string]bool{
		`{"a":"b"}`:                 false,
		`{"a":"\u0000"}`:            true,
		`{"a":"x\n\u0000"}`:         true,
		`{"a":"\\u0000"}`:           false, // a backslash, and then u0000
		`{"a":"\\\u0000"}`:          true,
		`{"a":"\u0001\"\\"}`:        false,
		`\`:                         false,
		`{"\u0000":1}`:              true,
		`{"a":"\ud83d\udd0bu0000"}`: false,
	} {
		assert.Equal(t, has, escapedNUL([]byte(document)), document)
	}
}

func TestOperationsHaveNames(t *testing.T) {
	for o, name := range map[operation]string{
		{Method: http.MethodGet, Path: "/devices/{id}"}:                           "read-device",
		{Method: http.MethodGet, Path: "/people/{id}/permissions"}:                "read-person-permissions",
		{Method: http.MethodPost, Path: "/people"}:                                "make-person",
		{Method: http.MethodPatch, Path: "/deliveries/{id}"}:                      "patch-delivery",
		{Method: http.MethodPost, Path: "/incidents/{id}/acknowledge"}:            "acknowledge-incident",
		{Method: http.MethodPost, Path: "/devices/{id}/settings/{key}/rehearsal"}: "rehearse-device-setting",
		{Method: http.MethodDelete, Path: "/devices/{id}/attributes/{name}"}:      "remove-device-attribute",
		{Method: http.MethodPut, Path: "/samples/keep/{kit}/{reading}"}:           "change-samples-keep",
	} {
		assert.Equal(t, name, o.id("read"))
	}
	assert.Equal(t, "list-devices", operation{Method: http.MethodGet, Path: "/devices"}.id("list"))
}

// row is one of a list whose names are not all different.
type row struct {
	name string
	id   domain.ID
}

func (r row) at(order string) (string, domain.ID) {
	if order == "name" {
		return r.name, r.id
	}
	return "", r.id
}

// Page by page a list comes in its order, each row once, also where names are the same.
func TestPagesOfAListFollowEachOther(t *testing.T) {
	var all []row
	for i := range 50 {
		all = append(all, row{strconv.Itoa(i * 7 % 5), domain.ID(i*13%50 + 1)})
	}
	by := orders{"name", "-id"}
	for _, sort := range []string{"name", "-name", "id", "-id"} {
		var got []row
		p := Paging{Limit: 7, Sort: sort}
		for {
			page, err := p.page(by)
			require.NoError(t, err)
			more := page
			more.Limit++
			out := answer(part(all, more), int64(len(all)), page).Body
			got = append(got, out.Items...)
			if out.Next == nil {
				break
			}
			require.Len(t, out.Items, 7)
			p.After = *out.Next
		}
		require.Len(t, got, 50, sort)
		assert.ElementsMatch(t, all, got)
		for i := 1; i < len(got); i++ {
			before, after := got[i-1], got[i]
			if sort[0] == '-' {
				before, after = after, before
			}
			if sort == "name" || sort == "-name" {
				assert.LessOrEqual(t, before.name, after.name)
			} else {
				assert.Less(t, before.id, after.id)
			}
		}
		p.Sort = "other"
		_, err := p.page(by)
		assert.Error(t, err, "the mark belongs to another order")
	}
	assert.Equal(t, []any{"name", "-name", "-id", "id"}, by.words())
	assert.Equal(t, Total{domain.MostCounted, true}, totalOf(domain.MostCounted+1))
}

func TestNothingIsNull(t *testing.T) {
	type things struct {
		Ref    Ref    `json:"ref"`
		Moment Moment `json:"moment"`
		Level  Level  `json:"level"`
	}
	for document, x := range map[string]things{
		`{"ref":null,"moment":null,"level":"fine"}`:                    {},
		`{"ref":7,"moment":"2026-03-14T03:40:00Z","level":"critical"}`: {7, Moment{time.Date(2026, 3, 14, 3, 40, 0, 0, time.UTC)}, 3},
	} {
		text, err := json.Marshal(x)
		require.NoError(t, err)
		assert.JSONEq(t, document, string(text))
		back := things{9, Moment{time.Now()}, 2}
		require.NoError(t, json.Unmarshal(text, &back))
		assert.Equal(t, x, back)
	}
	assert.Error(t, json.Unmarshal([]byte(`{"level":"awful"}`), &things{}))
	assert.Error(t, json.Unmarshal([]byte(`{"level":2}`), &things{}), "levels are words")
}

// Of one token a few requests are at work; nothing is kept of those that have gone.
func TestTurns(t *testing.T) {
	turns := newTurns()
	var all sync.WaitGroup
	var mu sync.Mutex
	most, now := 0, 0
	for range 50 {
		all.Go(func() {
			x := turns.join("token 1")
			defer turns.leave("token 1")
			x.slots <- struct{}{}
			mu.Lock()
			now++
			most = max(most, now)
			mu.Unlock()
			time.Sleep(time.Millisecond)
			mu.Lock()
			now--
			mu.Unlock()
			<-x.slots
		})
	}
	all.Wait()
	assert.LessOrEqual(t, most, mostAtOnce)
	assert.Empty(t, turns.of)
}

// Of each document that can be read the same is found as in what it says.
func FuzzTheCharacterNUL(f *testing.F) {
	f.Add(`{"a":"\\\u0000"}`)
	f.Fuzz(func(t *testing.T, document string) {
		var said any
		if !utf8.ValidString(document) || json.Unmarshal([]byte(document), &said) != nil {
			escapedNUL([]byte(document)) // whatever it is, it is looked through
			return
		}
		again, err := json.Marshal(said) // which writes it as \u0000, and backslashes as two
		require.NoError(t, err)
		if holdsNUL(said) && !escapedNUL([]byte(document)) {
			t.Fatalf("not found in %q, which says %q", document, again)
		}
	})
}

func holdsNUL(x any) bool {
	switch x := x.(type) {
	case string:
		return strings.ContainsRune(x, 0)
	case []any:
		return slices.ContainsFunc(x, holdsNUL)
	case map[string]any:
		for name, value := range x {
			if holdsNUL(name) || holdsNUL(value) {
				return true
			}
		}
	}
	return false
}

// Whatever is given as a mark is one of ours or refused.
func FuzzMarksOfPages(f *testing.F) {
	f.Add(cursor{"name", "gr-sw-1", 7}.String())
	f.Fuzz(func(t *testing.T, after string) {
		p, err := Paging{Limit: 10, After: after}.page(orders{"name"})
		if err == nil && p.After != nil && !text.Legible(p.After.Key) {
			t.Fatal(after)
		}
	})
}
