package api

import (
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"tirelessowl/internal/core/access"
)

// At once a token has so many requests at work; others of it wait, but not for longer.
const (
	mostAtOnce = 4
	mostWait   = 10 * time.Second
)

// turns are those of all tokens that ask at present.
type turns struct {
	mu sync.Mutex
	of map[string]*turn
}

type turn struct {
	slots chan struct{}
	users int
}

func newTurns() *turns { return &turns{of: map[string]*turn{}} }

// join returns the turns of somebody; leave must be called afterwards.
func (t *turns) join(name string) *turn {
	t.mu.Lock()
	defer t.mu.Unlock()
	x := t.of[name]
	if x == nil {
		x = &turn{slots: make(chan struct{}, mostAtOnce)}
		t.of[name] = x
	}
	x.users++
	return x
}

func (t *turns) leave(name string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.of[name].users--; t.of[name].users == 0 {
		delete(t.of, name)
	}
}

func nameOf(who access.Actor) string { return string(who.Kind) + " " + strconv.FormatInt(who.ID, 10) }

// inTurn lets a program that asks for much at once wait for itself, and not others for it.
func (a *api) inTurn(ctx huma.Context, next func(huma.Context)) {
	if strings.HasSuffix(ctx.URL().Path, "/samples/export") {
		next(ctx) // it may take as long as its reader likes, and has turns of its own
		return
	}
	name := nameOf(caller(ctx.Context()))
	x := a.turns.join(name)
	defer a.turns.leave(name)
	patience := time.NewTimer(mostWait)
	defer patience.Stop()
	select {
	case x.slots <- struct{}{}:
		defer func() { <-x.slots }()
		next(ctx)
	case <-ctx.Context().Done():
	case <-patience.C:
		a.later(ctx, "this token asks for too much at once")
	}
}

// later asks a client to come again.
func (a *api) later(ctx huma.Context, why string) {
	ctx.SetHeader("Retry-After", "1")
	_ = huma.WriteErr(a.API, ctx, http.StatusTooManyRequests, why)
}
