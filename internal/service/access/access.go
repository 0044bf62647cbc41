// Package access signs people and programs in.
package access

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/bcrypt"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Service is the use cases of access.
type Service struct {
	store *store.Store
	guess *brake
	now   func() time.Time
	// decoy is compared with when there is no such user, so that the time
	// taken does not tell.
	decoy []byte
}

// New returns the service.
func New(s *store.Store, now func() time.Time) *Service {
	decoy, _ := bcrypt.GenerateFromPassword([]byte("nobody"), bcrypt.DefaultCost)
	return &Service{store: s, guess: newBrake(), now: now, decoy: decoy}
}

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
	if errors.Is(err, domain.ErrNotFound) {
		hash = s.decoy
	} else if err != nil {
		return domain.User{}, 0, err
	}
	if bcrypt.CompareHashAndPassword(hash, []byte(password.Reveal())) != nil || err != nil {
		s.guess.failed(keys, s.now())
		return domain.User{}, 0, domain.ErrSignIn
	}
	s.guess.cleared(keys[:1])
	return u, 0, nil
}

// account is the form in which names are stored: telephones begin words with
// a capital, and nobody should be kept out by that.
func account(name string) string { return strings.ToLower(strings.TrimSpace(name)) }

// User returns a signed-in user by id.
func (s *Service) User(ctx context.Context, id domain.ID) (domain.User, error) {
	return s.store.Users.One(ctx, id)
}

// minPassword is the shortest password in characters; bcrypt reads 72 bytes.
const (
	minPassword = 8
	maxPassword = 72
)

// AddUser stores a person, or replaces the one of the same name.
func (s *Service) AddUser(ctx context.Context, u domain.User, password domain.Secret) error {
	errs := domain.FieldErrors{}
	u.Name = account(u.Name)
	if u.Name == "" {
		errs["name"] = "Give the user a name."
	}
	if n := len(password.Reveal()); n < minPassword || n > maxPassword {
		errs["password"] = fmt.Sprintf("Must have %d to %d characters.", minPassword, maxPassword)
	}
	if !u.Level.Valid() {
		errs["level"] = "Must be see, operate, configure or administer."
	}
	if len(errs) > 0 {
		return errs
	}
	hash, err := bcrypt.GenerateFromPassword([]byte(password.Reveal()), bcrypt.DefaultCost)
	if err != nil {
		return err
	}
	u.Hash = string(hash)
	return s.store.Users.Save(ctx, u)
}

// tokenPrefix makes our tokens easy to recognise where they leak.
const tokenPrefix = "owl_"

// CreateToken makes a key for the API and returns it; only its hash is stored.
func (s *Service) CreateToken(ctx context.Context, name string, level domain.Access) (domain.Secret, error) {
	errs := domain.FieldErrors{}
	if strings.TrimSpace(name) == "" {
		errs["name"] = "Give the token a name."
	}
	if !level.Valid() {
		errs["level"] = "Must be see, operate, configure or administer."
	}
	if len(errs) > 0 {
		return "", errs
	}
	token := domain.Secret(tokenPrefix + rand.Text() + rand.Text())
	err := s.store.Tokens.Add(ctx, domain.Token{Name: strings.TrimSpace(name), Level: level, CreatedAt: s.now()}, digest(token))
	if errors.Is(err, domain.ErrConflict) {
		return "", domain.FieldErrors{"name": "There is a token of this name already."}
	}
	return token, err
}

// Token returns what a key belongs to, or ErrSignIn.
func (s *Service) Token(ctx context.Context, key domain.Secret) (domain.Token, error) {
	t, err := s.store.Tokens.ByHash(ctx, digest(key))
	if errors.Is(err, domain.ErrNotFound) {
		return t, domain.ErrSignIn
	}
	return t, err
}

// digest suffices for tokens: they are long and random, unlike passwords.
func digest(key domain.Secret) []byte {
	sum := sha256.Sum256([]byte(key.Reveal()))
	return sum[:]
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
