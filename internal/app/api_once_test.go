package app

import (
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/once"
)

// keyed sends a request that calls itself by a key.
func (r running) keyed(t *testing.T, key, path, body string) (*http.Response, string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), "POST", r.url+"/api/v1"+path, strings.NewReader(body))
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+r.token)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Idempotency-Key", key)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res, string(text)
}

const quay = `{"name": "Kittiwake Line", "kind": "organisation"}`

// A request that is sent again is answered as the first time, and done once.
func TestARequestSentAgainIsDoneOnce(t *testing.T) {
	r := start(t)
	first, said := r.keyed(t, "one", "/places", quay)
	require.Equal(t, 201, first.StatusCode, said)
	again, same := r.keyed(t, "one", "/places", quay)
	assert.Equal(t, 201, again.StatusCode)
	assert.Equal(t, said, same)
	for _, name := range []string{"Location", "ETag", "Content-Type", "Cache-Control"} {
		assert.Equal(t, first.Header.Get(name), again.Header.Get(name), name)
		assert.NotEmpty(t, first.Header.Get(name), name)
	}
	other, said := r.keyed(t, "one", "/places", strings.Replace(quay, "Line", "Lines", 1))
	assert.Equal(t, 422, other.StatusCode)
	assert.Contains(t, said, "header.Idempotency-Key")
	refused, said := r.keyed(t, "two", "/places", quay)
	assert.Equal(t, 422, refused.StatusCode, "the name is taken: "+said)
	_, same = r.keyed(t, "two", "/places", quay)
	assert.Equal(t, said, same, "a refusal stands, too")
	for _, key := range []string{strings.Repeat("k", 256), "a b", "ä"} {
		bad, _ := r.keyed(t, key, "/places", quay)
		assert.Equal(t, 422, bad.StatusCode, key)
	}
	r.token = keyOf(t, r.App, "another", domain.AccessAdminister)
	theirs, said := r.keyed(t, "one", "/places", strings.Replace(quay, "Line", "Ferries", 1))
	assert.Equal(t, 201, theirs.StatusCode, "keys of others are others: "+said)
	r.token = keyOf(t, r.App, "looks", domain.AccessSee)
	for range 2 {
		mine, _ := r.keyed(t, "one", "/places", quay)
		assert.Equal(t, 403, mine.StatusCode)
	}
	places, err := r.Store.Places.All(t.Context())
	require.NoError(t, err)
	assert.Len(t, places, 2)
}

// Of many that are sent at once one is worked on.
func TestOfTheSameRequestsAtOnceOneIsDone(t *testing.T) {
	r := start(t)
	var all sync.WaitGroup
	var mu sync.Mutex
	count := map[int]int{}
	for range 20 {
		all.Go(func() {
			res, _ := r.keyed(t, "together", "/places", quay)
			mu.Lock()
			defer mu.Unlock()
			count[res.StatusCode]++
		})
	}
	all.Wait()
	assert.Positive(t, count[201])
	assert.Equal(t, 20, count[201]+count[409], "%v", count)
	places, err := r.Store.Places.All(t.Context())
	require.NoError(t, err)
	assert.Len(t, places, 1)
}

// What broke off is not done again by itself: it is told that nobody knows. After a day the
// key is free.
func TestWhatBrokeOffIsTold(t *testing.T) {
	r := build(t)
	ctx, who := t.Context(), access.Actor{Kind: access.Token, ID: 5}
	before, err := r.Once.Begin(ctx, who, "k", []byte("x"))
	require.NoError(t, err)
	assert.Nil(t, before)
	_, err = r.Once.Begin(ctx, who, "k", []byte("x"))
	assert.ErrorIs(t, err, domain.ErrConflict)
	require.NoError(t, r.Once.End(ctx, who, "k", domain.Answer{Status: 200, Body: make([]byte, 2<<20)}))
	_, err = r.Once.Begin(ctx, who, "k", []byte("x"))
	assert.ErrorContains(t, err, "too long")
	require.NoError(t, r.Once.End(ctx, who, "k", domain.Answer{Status: 200, Body: []byte("a secret link")}))
	before, err = r.Once.Begin(ctx, who, "k", []byte("x"))
	require.NoError(t, err)
	assert.Equal(t, "a secret link", string(before.Body))
	r.house.Round(ctx, time.Now().Add(once.Kept-time.Minute))
	before, err = r.Once.Begin(ctx, who, "k", []byte("x"))
	require.NoError(t, err)
	assert.NotNil(t, before)
	r.house.Round(ctx, time.Now().Add(once.Kept+time.Minute))
	before, err = r.Once.Begin(ctx, who, "k", []byte("y"))
	require.NoError(t, err)
	assert.Nil(t, before)
	_, err = r.Once.Begin(ctx, access.Actor{}, "k", []byte("x"))
	assert.ErrorIs(t, err, domain.ErrForbidden)
}
