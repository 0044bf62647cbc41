package signin

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"strings"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/page"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/fetch"
	"tirelessowl/internal/protocol/ways"
)

type asker struct{ by dial.Func }

func (a asker) ask(ctx context.Context, q way.Question) (derive.Fetched, error) {
	if q.Credential.Kind != account {
		return derive.Fetched{}, ways.Fail(derive.Withheld, errors.New("nothing was asked: it needs a credential to sign in with"))
	}
	first, err := url.Parse(strings.ReplaceAll(q.Ask["url"], "{address}", fetch.Bracketed(q.Address)))
	if err != nil {
		return derive.Fetched{}, fmt.Errorf("%.200q is no address of a page", q.Ask["url"])
	}
	q.Hide = append(q.Hide[:len(q.Hide):len(q.Hide)], q.Credential.Secrets["password"].Reveal())
	q.Exchange.Hide(q.Hide)
	patience := q.Ask.Duration("timeout")
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	b := newBrowser(a.by, q, first)
	defer b.close()
	var checked ways.Checked
	began := time.Now()
	err = b.signIn(ctx, &checked)
	if err == nil {
		checked.Seconds("total", time.Since(began))
	}
	var kept *notTold
	if errors.As(err, &kept) {
		return derive.Fetched{}, ways.Fail(derive.Withheld, kept)
	}
	checked, unable := checked.Judged(b.onTheWay(err), patience)
	if unable != nil {
		return derive.Fetched{}, unable
	}
	checked.Says = q.Masked(checked.Says)
	if body, there := checked.Texts["body"]; there {
		checked.Text("body", q.Masked(body))
	}
	q.Exchange.Got(time.Now(), "%s: %s", checked.Verdict, checked.Says)
	return derive.Fetched{Rows: []derive.Row{checked.Row(columns)}}, nil
}

// mostForms is how many forms lead in: the name, and the password on the next page.
const mostForms = 2

// signIn goes from the page with the form to the one that comes when it was sent.
func (b *browser) signIn(ctx context.Context, c *ways.Checked) error {
	began := time.Now()
	p, err := b.open(ctx, b.first)
	if err != nil {
		return err
	}
	for range mostForms {
		form, err := b.find(p)
		if err != nil {
			return err
		}
		if form.Password == "" {
			if p, err = b.send(ctx, p, form); err != nil {
				return err
			}
			continue
		}
		c.Seconds("form", time.Since(began))
		sent := time.Now()
		if p, err = b.send(ctx, p, form); err != nil {
			return err
		}
		c.Seconds("entry", time.Since(sent))
		c.Number("status", float64(p.status))
		c.Number("size", float64(p.size))
		c.Number("redirects", float64(b.hops))
		c.Text("body", strings.ToValidUTF8(p.body[:min(len(p.body), fetch.MostKept)], "\ufffd"))
		c.Says = "signed in"
		return judge(b.Ask, p)
	}
	return verdict.Fail(verdict.Unexpected, "it asks for a name again and again, and never for a password")
}

// find finds the form on a page.
func (b *browser) find(p shown) (page.Form, error) {
	hints := page.Hints{Form: b.Ask["form"], User: b.Ask["user"], Password: b.Ask["password"]}
	form, why, err := page.SignIn(p.body, p.at, hints)
	for _, fact := range why.Facts {
		b.Exchange.Got(time.Now(), "%s", fact.Text)
	}
	switch {
	case err != nil && p.status >= 400:
		return form, verdict.Fail(verdict.Unexpected, p.words+", where a page with a form is expected")
	case err != nil:
		return form, verdict.Fail(verdict.Unexpected, err.Error())
	case form.Password != "" && form.Method != "POST":
		return form, verdict.Fail(verdict.Unexpected,
			form.Called+" would put the password into the address of a page, where others read it: it is not sent so")
	case form.Password != "" && p.at.Scheme == "https" && form.Action.Scheme != "https":
		return form, verdict.Fail(verdict.Unexpected,
			form.Called+" would send the password readable to all, though its page came by TLS: it is not sent so")
	}
	return form, nil
}

// judge tells whether the page that came shows that somebody is in.
func judge(ask way.Settings, p shown) error {
	again := page.Asks(p.body)
	switch {
	case p.status == 401 || p.status == 403:
		return verdict.Fail(verdict.SignInFailed, p.words+": the credential is not taken")
	case ask["failure"] != "" && reads(p.body, ask["failure"]):
		return verdict.Fail(verdict.SignInFailed, fmt.Sprintf("nobody is let in: the page says “%s”", ask["failure"]))
	case !fetch.Expected(ask["status"], p.status):
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("%s, where %s is expected", p.words, ask["status"]))
	case ask["success"] == "" && ask["pattern"] == "" && again:
		return verdict.Fail(verdict.SignInFailed, "nobody is let in: the page asks for the password again")
	}
	err := fetch.Texts{Contains: ask["success"], Pattern: ask["pattern"]}.Judge(p.body)
	if err != nil && again && !reads(p.body, ask["success"]) {
		return verdict.Fail(verdict.SignInFailed, "nobody is let in: the page asks for the password again, and "+err.Error())
	}
	return err
}

// reads tells whether people read a text in a page, whatever stands between.
func reads(body, text string) bool {
	if text == "" {
		return false
	}
	_, broken := page.Broken(body, text)
	return broken || strings.Contains(body, text)
}
