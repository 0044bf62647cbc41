package people

import (
	"context"
	"errors"
	"sync"
	"time"

	"golang.org/x/crypto/bcrypt"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
)

// SignIn returns the user that a name and password belong to, ErrSignIn, or
// ErrSlowDown with the time to wait after repeated failures.
func (s *Service) SignIn(ctx context.Context, name string, password domain.Secret, from string) (domain.User, time.Duration, error) {
	name = account(name)
	keys := []string{"name " + name, "from " + from}
	if wait := s.guess.wait(keys, s.now()); wait > 0 {
		return domain.User{}, wait, domain.ErrSlowDown
	}
	u, err := s.store.Users.ByName(ctx, name)
	hash := []byte(u.Hash)
	if errors.Is(err, domain.ErrNotFound) || err == nil && (u.Locked || u.Hash == "") {
		hash, err = s.decoy, domain.ErrNotFound
	} else if err != nil {
		return domain.User{}, 0, err
	}
	if bcrypt.CompareHashAndPassword(hash, []byte(password.Reveal())) != nil || err != nil {
		s.guess.failed(keys, s.now())
		s.noteFailure(ctx, u, name, from)
		return domain.User{}, 0, domain.ErrSignIn
	}
	s.guess.cleared(keys[:1])
	return u, 0, s.store.Users.Seen(ctx, u.ID, s.now().UTC())
}

// noteFailure notes that somebody could not sign in; the name that was typed may be a
// password by mistake, so it is only noted where it is a name.
func (s *Service) noteFailure(ctx context.Context, u domain.User, name, from string) {
	if u.ID == 0 {
		name = "an unknown name"
	}
	who := access.Actor{Kind: access.Person, ID: u.ID, Name: name, From: from}
	s.desk.Record(ctx, who, domain.Entry{Act: "sign in", Refused: true, Kind: "person", ThingID: u.ID, Thing: name, PlaceID: u.PlaceID,
		Reason: "the name or the password was not right"})
}

// Actor is a person who is signed in, or ErrNotFound where that is not possible any
// more.
func (s *Service) Actor(ctx context.Context, id domain.ID, from string) (access.Actor, error) {
	u, err := s.store.Users.One(ctx, id)
	if err != nil {
		return access.Actor{}, err
	}
	if u.Locked {
		return access.Actor{}, domain.ErrNotFound
	}
	sheet, err := s.sheets.Of(ctx, id)
	return access.Actor{Kind: access.Person, ID: u.ID, Name: u.Called(), From: from, Sheet: sheet}, err
}

// brake slows down guessing: after a few failures each further one doubles
// the wait.
type brake struct {
	mu    sync.Mutex
	known map[string]failures
}

type failures struct {
	count int
	last  time.Time
}

const (
	freeFailures = 4
	longestWait  = 15 * time.Minute
	forgetAfter  = time.Hour
	maxKnown     = 10_000
)

func newBrake() *brake { return &brake{known: map[string]failures{}} }

func (b *brake) wait(keys []string, now time.Time) time.Duration {
	b.mu.Lock()
	defer b.mu.Unlock()
	var longest time.Duration
	for _, k := range keys {
		f := b.known[k]
		if f.count < freeFailures || now.Sub(f.last) > forgetAfter {
			continue
		}
		pause := min(longestWait, time.Second<<min(f.count-freeFailures, 20))
		longest = max(longest, pause-now.Sub(f.last))
	}
	return longest
}

func (b *brake) failed(keys []string, now time.Time) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.known) > maxKnown {
		for k, f := range b.known {
			if now.Sub(f.last) > longestWait {
				delete(b.known, k)
			}
		}
	}
	for _, k := range keys {
		f := b.known[k]
		if now.Sub(f.last) > forgetAfter {
			f.count = 0
		}
		b.known[k] = failures{f.count + 1, now}
	}
}

func (b *brake) cleared(keys []string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, k := range keys {
		delete(b.known, k)
	}
}
