package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"text/tabwriter"
	"time"

	"tirelessowl/internal/config"
	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/people"
)

// Accounts are people and keys for commands beside the running application. What is done
// with them is noted in the audit under the name of the command.
type Accounts struct {
	people *people.Service
	who    access.Actor
	out    io.Writer
}

// WithAccounts opens the accounts for a command.
func WithAccounts(ctx context.Context, c config.Config, command string, out io.Writer, f func(Accounts) error) error {
	s, closeStore, err := Database(ctx, c, false, func(string) {})
	if err != nil {
		return err
	}
	defer closeStore()
	desk := act.NewDesk(s, func(domain.News) {}, slog.Default())
	svc := people.New(people.Parts{Store: s, Desk: desk, Sheets: act.NewSheets(s), Now: time.Now, URL: c.URL, Log: slog.Default()})
	return f(Accounts{svc, access.Itself(command), out})
}

// AddUser stores a person who may sign in.
func (a Accounts) AddUser(ctx context.Context, name, display, level string, password domain.Secret) error {
	_, err := a.people.Enrol(ctx, a.who, people.Draft{Name: name, Display: display, Secret: password}, domain.Access(level))
	return err
}

// Users writes a table of all people.
func (a Accounts) Users(ctx context.Context) error {
	all, err := a.people.People(ctx, a.who)
	if err != nil {
		return err
	}
	return columned(a.out, []string{"NAME", "SHOWN AS", "STATE", "LAST SIGN-IN"}, all, func(u domain.User) []any {
		state := "may sign in"
		if u.Locked {
			state = "locked"
		}
		return []any{u.Name, u.Called(), state, moment(u.SeenAt, "never")}
	})
}

// SetPassword sets the password of a person; all sign-ins end. With forget, second factors
// that were lost are taken away, too.
func (a Accounts) SetPassword(ctx context.Context, name string, password domain.Secret, forget bool) error {
	all, err := a.people.People(ctx, a.who)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all, func(u domain.User) bool { return u.Name == name })
	if i < 0 {
		return fmt.Errorf("there is no person %q; see owl user list", name)
	}
	if err := a.people.SetPassword(ctx, a.who, all[i].ID, password); err != nil || !forget {
		return err
	}
	return a.people.TakeFactors(ctx, a.who, all[i].ID)
}

// CreateToken makes a key for the API and writes it.
func (a Accounts) CreateToken(ctx context.Context, name, level string) error {
	_, key, err := a.people.MakeToken(ctx, a.who, domain.Token{Name: name, Grant: domain.Grant{Level: domain.Access(level)}})
	if err != nil {
		return err
	}
	_, err = fmt.Fprintln(a.out, key.Reveal())
	return err
}

// Tokens writes a table of all keys for the API, which are not shown again.
func (a Accounts) Tokens(ctx context.Context) error {
	all, err := a.people.Tokens(ctx, a.who)
	if err != nil {
		return err
	}
	return columned(a.out, []string{"ID", "NAME", "LEVEL", "ENDS", "LAST USED"}, all, func(t domain.Token) []any {
		return []any{t.ID, t.Name, t.Grant.Level, moment(t.EndsAt, "never"), moment(t.UsedAt, "never")}
	})
}

// RemoveToken takes a key back: it opens nothing any more.
func (a Accounts) RemoveToken(ctx context.Context, id domain.ID) error {
	err := a.people.TakeToken(ctx, a.who, id)
	if errors.Is(err, domain.ErrNotFound) {
		return fmt.Errorf("there is no key %d; see owl token list", id)
	}
	return err
}

// moment is a time as tables of the command line have it.
func moment(t time.Time, never string) string {
	if t.IsZero() {
		return never
	}
	return t.UTC().Format(time.RFC3339)
}

// columned writes rows under their heads.
func columned[T any](out io.Writer, heads []string, rows []T, cells func(T) []any) error {
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	for _, h := range heads {
		fmt.Fprint(w, h, "\t")
	}
	for _, r := range rows {
		fmt.Fprintln(w)
		for _, c := range cells(r) {
			fmt.Fprint(w, c, "\t")
		}
	}
	fmt.Fprintln(w)
	return w.Flush()
}
