package http

import (
	"context"
	"crypto/tls"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/fetch"
	"tirelessowl/internal/protocol/ways"
)

// asker fetches pages over connections that a guard lets through.
type asker struct{ by dial.Func }

// visit is one fetch, with all that follows from it.
type visit struct {
	way.Question
	first *url.URL // what is fetched, before any redirect
	hops  int      // redirects that were followed
	times fetch.Phases
}

func (a asker) ask(ctx context.Context, q way.Question) (derive.Fetched, error) {
	v := &visit{Question: q}
	var err error
	if v.first, err = url.Parse(strings.ReplaceAll(q.Ask["url"], "{address}", fetch.Bracketed(q.Address))); err != nil {
		return derive.Fetched{}, fmt.Errorf("%.200q is no address of a page", q.Ask["url"])
	}
	v.Hide = append(v.Hide[:len(v.Hide):len(v.Hide)], v.told()...)
	q.Exchange.Hide(v.Hide)
	if problem := v.secretly(); problem != "" {
		return derive.Fetched{}, ways.Fail(derive.Withheld, errors.New(problem))
	}
	patience := q.Ask.Duration("timeout")
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	began := time.Now()
	checked, err := a.fetch(ctx, v)
	if err == nil {
		checked.Seconds("total", time.Since(began))
	}
	v.times.Note(&checked)
	if phases := v.times.Words(); phases != "" {
		q.Exchange.Got(time.Now(), "in all: %s", phases)
	}
	checked, unable := checked.Judged(err, patience)
	if unable != nil {
		return derive.Fetched{}, unable
	}
	checked.Says = v.Masked(checked.Says)
	if body, there := checked.Texts["body"]; there {
		checked.Texts["body"] = v.Masked(body)
	}
	q.Exchange.Got(time.Now(), "%s: %s", checked.Verdict, checked.Says)
	return derive.Fetched{Rows: []derive.Row{checked.Row(columns)}}, nil
}

// told are the secrets of the credential, in the forms in which they are sent: a page may say them again.
func (v *visit) told() (out []string) {
	for _, secret := range v.Credential.Secrets {
		out = append(out, secret.Reveal())
	}
	if v.Credential.Kind == basic {
		pair := v.Credential.Settings["user"] + ":" + v.Credential.Secrets["password"].Reveal()
		out = append(out, base64.StdEncoding.EncodeToString([]byte(pair)))
	}
	return out
}

// secret tells whether something secret is sent.
func (v *visit) secret() bool { return v.Credential.Kind != "" || len(v.Hide) > 0 }

// secretly says why something secret must not be sent so: it goes to the address that it is bound to, and nowhere else.
func (v *visit) secretly() string {
	switch {
	case !v.secret():
		return ""
	case v.Ask["to"] == toName:
		return "nothing was asked: with a secret, the connection is made to the address of the device, which the secret is bound to"
	case v.Ask["proxy"] != "":
		return "nothing was asked: a secret is not sent through a proxy"
	}
	return ""
}

func (a asker) fetch(ctx context.Context, v *visit) (checked ways.Checked, err error) {
	req, err := v.request(ctx)
	if err != nil {
		return checked, verdict.Fail(verdict.ProtocolError, err.Error())
	}
	client := a.client(v)
	defer client.CloseIdleConnections()
	v.Exchange.Sent(time.Now(), "%s %s", req.Method, req.URL)
	res, err := client.Do(req)
	if err != nil {
		return checked, v.onTheWay(err)
	}
	defer res.Body.Close()
	v.Exchange.Got(time.Now(), "%s", res.Status)
	body, err := io.ReadAll(io.LimitReader(res.Body, fetch.MostBody))
	if err != nil {
		return checked, err
	}
	checked.Number("status", float64(res.StatusCode))
	checked.Number("size", float64(len(body)))
	checked.Number("redirects", float64(v.hops))
	checked.Text("body", strings.ToValidUTF8(string(body[:min(len(body), fetch.MostKept)]), "\ufffd"))
	checked.Says = fetch.StatusWords(res)
	return checked, v.judge(res, string(body))
}

// onTheWay says what kept an answer from coming. Where a redirect leads to what may not be talked to, that is the fault
// of the page.
func (v *visit) onTheWay(err error) error {
	var barred *dial.Refused
	if v.hops > 0 && errors.As(err, &barred) {
		said := fmt.Sprintf("it redirects to %s, which is not talked to: it %s", barred.Addr, barred.Reason)
		return verdict.Fail(verdict.Unexpected, said)
	}
	if errors.Is(err, http.ErrSchemeMismatch) {
		return verdict.Fail(verdict.TLSFailed, "what answers there does not speak TLS")
	}
	return err
}

func (v *visit) request(ctx context.Context) (*http.Request, error) {
	var body io.Reader
	if v.Ask["body"] != "" {
		body = strings.NewReader(way.Unescaped(v.Ask["body"]))
	}
	req, err := http.NewRequestWithContext(v.times.Watch(ctx), v.Ask["method"], v.first.String(), body)
	if err != nil {
		return nil, err
	}
	headers, err := fetch.ReadHeaders(v.Ask["headers"])
	if err != nil {
		return nil, err
	}
	req.Header = headers
	if host := headers.Get("Host"); host != "" {
		req.Host = host
	}
	if req.Header.Get("User-Agent") == "" {
		req.Header.Set("User-Agent", "tireless-owl")
	}
	switch v.Credential.Kind {
	case basic:
		req.SetBasicAuth(v.Credential.Settings["user"], v.Credential.Secrets["password"].Reveal())
	case bearer:
		req.Header.Set("Authorization", "Bearer "+v.Credential.Secrets["token"].Reveal())
	}
	return req, nil
}

// client fetches once, over connections of its own.
func (a asker) client(v *visit) *http.Client {
	transport := &http.Transport{
		DialContext:       a.dialler(v),
		ForceAttemptHTTP2: true,
		DisableKeepAlives: true,

		MaxResponseHeaderBytes: fetch.MostHeaders,
		TLSClientConfig:        &tls.Config{InsecureSkipVerify: v.Ask["verify"] == "no"}, //nolint:gosec // it was asked for
	}
	if v.Ask["proxy"] != "" {
		proxy, err := url.Parse(v.Ask["proxy"])
		transport.Proxy = func(*http.Request) (*url.URL, error) { return proxy, err }
	}
	jar, _ := cookiejar.New(nil) // it has no error without options
	return &http.Client{Transport: transport, Jar: jar, CheckRedirect: v.follow}
}

// dialler connects to the device itself for the name that the page is asked under, unless another place is asked for.
func (a asker) dialler(v *visit) dial.Func {
	if v.Ask["to"] == toName || v.Ask["proxy"] != "" {
		return a.by
	}
	return fetch.Pinned(a.by, v.first.Hostname(), v.Address)
}

// follow decides whether a redirect is followed.
func (v *visit) follow(req *http.Request, via []*http.Request) error {
	v.Exchange.Got(time.Now(), "%s, redirects to %s", req.Response.Status, req.URL)
	most := v.Ask.Int("redirects")
	switch {
	case most == 0:
		return http.ErrUseLastResponse
	case len(via) > most:
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("it redirects more than %d times, last to %s", most, fetch.Shown(req.URL)))
	case v.secret() && (req.URL.Host != v.first.Host || req.URL.Scheme != v.first.Scheme):
		return verdict.Fail(verdict.Unexpected, "it redirects to "+fetch.Shown(req.URL)+", which is not followed with a secret")
	}
	v.hops = len(via)
	v.Exchange.Sent(time.Now(), "%s %s", req.Method, req.URL)
	return nil
}
