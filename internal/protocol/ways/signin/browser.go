package signin

import (
	"bytes"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"time"

	"golang.org/x/net/html/charset"
	"golang.org/x/net/publicsuffix"

	"tirelessowl/internal/core/page"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/fetch"
)

// browser goes from page to page with the cookies that they gave, for one question.
type browser struct {
	way.Question
	by     dial.Func
	first  *url.URL
	hops   int // redirects that were followed
	client *http.Client
}

// shown is a page that came.
type shown struct {
	at     *url.URL
	status int
	words  string // of the status
	body   string // in UTF-8
	size   int    // bytes, as they came
}

func newBrowser(by dial.Func, q way.Question, first *url.URL) *browser {
	b := &browser{Question: q, by: by, first: first}
	transport := &http.Transport{
		DialContext:       b.dial,
		ForceAttemptHTTP2: true,
		DisableKeepAlives: true, // a connection that was made for one page tells nothing on another

		MaxResponseHeaderBytes: fetch.MostHeaders,
		TLSClientConfig:        &tls.Config{InsecureSkipVerify: q.Ask["verify"] == "no"}, //nolint:gosec // it was asked for
	}
	jar, _ := cookiejar.New(&cookiejar.Options{PublicSuffixList: publicsuffix.List}) // it has no error
	b.client = &http.Client{Transport: teller{b, transport}, Jar: jar, CheckRedirect: b.follow}
	return b
}

func (b *browser) close() { b.client.CloseIdleConnections() }

// open fetches a page, and those that it leads on to by itself.
func (b *browser) open(ctx context.Context, at *url.URL) (shown, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, at.String(), nil)
	if err != nil {
		return shown{}, verdict.Fail(verdict.Unexpected, "its address cannot be read")
	}
	return b.do(req)
}

// send sends a form as a browser would, with the name and the password in the fields for them.
func (b *browser) send(ctx context.Context, from shown, f page.Form) (shown, error) {
	fields := f.Fields
	var names []string
	for _, x := range fields {
		names = append(names, x.Name)
	}
	if f.User != "" {
		fields = append(fields, page.Pair{Name: f.User, Value: b.Credential.Settings["user"]})
	}
	if f.Password != "" {
		fields = append(fields, page.Pair{Name: f.Password, Value: b.Credential.Secrets["password"].Reveal()})
	}
	stand := strings.Join(names, ", ")
	b.Exchange.Sent(time.Now(), "%s: user in “%s”, password in “%s”, as they stand: %s", f.Called, f.User, f.Password, stand)
	if f.Method == http.MethodGet { // of a name alone: a password is never sent so
		at := *f.Action
		at.RawQuery = string(encoded(fields))
		return b.open(ctx, &at)
	}
	body, media, err := filled(f.Encoding, fields)
	if err != nil {
		return shown{}, err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, f.Action.String(), bytes.NewReader(body))
	if err != nil {
		return shown{}, verdict.Fail(verdict.Unexpected, "the address to which its form is sent cannot be read")
	}
	req.Header.Set("Content-Type", media)
	req.Header.Set("Origin", from.at.Scheme+"://"+from.at.Host)
	req.Header.Set("Referer", from.at.Redacted())
	return b.do(req)
}

func filled(encoding string, fields []page.Pair) (body []byte, media string, err error) {
	if encoding != page.Multipart {
		return encoded(fields), page.Encoded, nil
	}
	var out bytes.Buffer
	w := multipart.NewWriter(&out)
	for _, x := range fields {
		if err := w.WriteField(x.Name, x.Value); err != nil {
			return nil, "", err
		}
	}
	err = w.Close()
	return out.Bytes(), w.FormDataContentType(), err
}

// encoded keeps the order of the page.
func encoded(fields []page.Pair) []byte {
	var out []string
	for _, x := range fields {
		out = append(out, url.QueryEscape(x.Name)+"="+url.QueryEscape(x.Value))
	}
	return []byte(strings.Join(out, "&"))
}

func (b *browser) do(req *http.Request) (p shown, err error) {
	extra, err := fetch.ReadHeaders(b.Ask["headers"])
	if err != nil {
		return p, verdict.Fail(verdict.ProtocolError, err.Error())
	}
	for name, values := range extra {
		req.Header[name] = values
	}
	if req.Header.Get("User-Agent") == "" {
		req.Header.Set("User-Agent", "tireless-owl")
	}
	b.Exchange.Sent(time.Now(), "%s %s", req.Method, req.URL.Redacted())
	res, err := b.client.Do(req)
	if err != nil {
		return p, err
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(io.LimitReader(res.Body, fetch.MostBody))
	if err != nil {
		return p, err
	}
	p = shown{at: res.Request.URL, status: res.StatusCode, words: fetch.StatusWords(res), body: string(raw), size: len(raw)}
	b.Exchange.Got(time.Now(), "%s, %d bytes", p.words, p.size)
	if r, err := charset.NewReader(bytes.NewReader(raw), res.Header.Get("Content-Type")); err == nil {
		if text, err := io.ReadAll(io.LimitReader(r, 4*fetch.MostBody)); err == nil {
			p.body = string(text)
		}
	}
	if next := page.Refresh(p.body, p.at); next != nil && !page.Asks(p.body) && *next != *p.at {
		b.Exchange.Got(time.Now(), "the page sends on to %s", fetch.Shown(next))
		if err := b.hop(next); err != nil {
			return p, err
		}
		return b.open(req.Context(), next)
	}
	return p, nil
}

// follow decides whether a redirect is followed. What it leads to is asked of the guard, and a password that would go
// along is held back by the teller.
func (b *browser) follow(req *http.Request, _ []*http.Request) error {
	b.Exchange.Got(time.Now(), "%s, redirects to %s", req.Response.Status, fetch.Shown(req.URL))
	return b.hop(req.URL)
}

func (b *browser) hop(to *url.URL) error {
	b.hops++
	if most := b.Ask.Int("redirects"); b.hops > most {
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("it redirects more than %d times, last to %s", most, fetch.Shown(to)))
	}
	return nil
}

// onTheWay says what kept an answer from coming. Where the page leads to what may not be talked to, that is its fault.
func (b *browser) onTheWay(err error) error {
	var barred *dial.Refused
	if errors.As(err, &barred) && b.hops > 0 {
		return verdict.Fail(verdict.Unexpected,
			fmt.Sprintf("it redirects to %s, which is not talked to: it %s", barred.Addr, barred.Reason))
	}
	if errors.Is(err, http.ErrSchemeMismatch) {
		return verdict.Fail(verdict.TLSFailed, "what answers there does not speak TLS")
	}
	return err
}
