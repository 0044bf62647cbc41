package main

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync/atomic"
	"time"
)

// attack is something that strangers, or people with too little to do, may try.
type attack struct {
	name    string
	clients int
	once    func(ctx context.Context, w *world) (status int)
	allowed []int // statuses; no answer at all is allowed always
}

const (
	formType = "application/x-www-form-urlencoded"
	jsonType = "application/json"
)

// attacks are all of them.
func attacks() []attack {
	refused := []int{400, 401, 403, 404, 405, 408, 409, 413, 415, 421, 422, 429, 431, 503}
	large := strings.Repeat("x", 900<<10)
	return []attack{
		{"nothing but somebody who looks", 0, nil, refused},
		{"names of 900 KB at the sign-in", 20, form("/signin", url.Values{"name": {large}, "password": {"x"}}), refused},
		{"guesses at one name", 40, form("/signin", url.Values{"name": {"ines"}, "password": {"guess"}}), refused},
		{"guesses at many names", 40, guesses, refused},
		{"heads of requests that never end", 60, trickle("GET / HTTP/1.1\r\nHost: "+listen+"\r\nX-A: ", "a"), refused},
		{"bodies that never end", 60, trickle("POST /signin HTTP/1.1\r\nHost: "+listen+"\r\nContent-Type: "+formType+
			"\r\nContent-Length: 100000\r\n\r\nname=", "a"), refused},
		{"readers that do not read", 40, unread, append(refused, 200)},
		{"listeners without end", 40, listener, append(refused, 200)},
		{"a table with a head of 60 MB", 2, program(http.MethodPost, "/samples/import?format=csv", "text/csv", endless("x", 60<<20)),
			refused},
		{"a sample of 60 MB", 2, program(http.MethodPost, "/samples/import", jsonType, endless(`{"a":"x`, 60<<20)), refused},
		{"requests that are too long", 10, program(http.MethodPost, "/places", jsonType, endless(`{"name":"`, 3<<20)), refused},
		{"deep documents", 10, program(http.MethodPost, "/places", jsonType, text(strings.Repeat(`{"a":`, 150_000))), refused},
		{"conditions that are deep", 10, program(http.MethodPatch, "/rules/1", "application/merge-patch+json",
			text(`{"condition": `+strings.Repeat("[", 9_000)+strings.Repeat("]", 9_000)+`}`)), refused},
		{"60,000 ranges", 4, program(http.MethodPost, "/sweeps", jsonType,
			text(`{"name":"a","port":161,"community":"c","ranges":"`+many()+`"}`)), refused},
		{"searches for everything", 8, program(http.MethodGet, "/search?limit=100&q=%25_%25_%25_%25_%25", "", nothing),
			append(refused, 200)},
		{"the longest lists", 8, program(http.MethodGet, "/transitions?limit=1000", "", nothing), append(refused, 200)},
		{"words that are no text", 20, program(http.MethodGet, "/devices?q=%00%ff", "", nothing), refused},
		{"the name of somebody else", 20, elsewhere, refused},
		{"writes from elsewhere", 20, forged, refused},
	}
}

// raw sends a request and gives the status of the answer.
func raw(ctx context.Context, method, address, kind string, body io.Reader, change func(*http.Request)) int {
	req, err := http.NewRequestWithContext(ctx, method, address, body)
	if err != nil {
		return 0
	}
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	if change != nil {
		change(req)
	}
	res, err := client.Do(req)
	if err != nil {
		return 0
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, res.Body)
	return res.StatusCode
}

var client = &http.Client{
	Timeout:       15 * time.Second,
	CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
}

func form(path string, values url.Values) func(context.Context, *world) int {
	body := values.Encode()
	return func(ctx context.Context, _ *world) int {
		return raw(ctx, http.MethodPost, at+path, formType, strings.NewReader(body), nil)
	}
}

var count atomic.Int64

func guesses(ctx context.Context, _ *world) int {
	values := url.Values{"name": {fmt.Sprintf("person-%d", count.Add(1))}, "password": {"guess"}}
	return raw(ctx, http.MethodPost, at+"/signin", formType, strings.NewReader(values.Encode()), nil)
}

// program is a request with a token that may do everything.
func program(method, path, kind string, body func() io.Reader) func(context.Context, *world) int {
	return func(ctx context.Context, w *world) int {
		return raw(ctx, method, at+"/api/v1"+path, kind, body(), func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+w.token) })
	}
}

func nothing() io.Reader { return http.NoBody }

func text(s string) func() io.Reader { return func() io.Reader { return strings.NewReader(s) } }

// endless begins as given, and goes on with one letter.
func endless(begin string, length int64) func() io.Reader {
	return func() io.Reader { return io.MultiReader(strings.NewReader(begin), io.LimitReader(letters{}, length)) }
}

type letters struct{}

func (letters) Read(p []byte) (int, error) {
	copy(p, bytes.Repeat([]byte("x"), len(p)))
	return len(p), nil
}

func many() string {
	var b strings.Builder
	for n := range 60_000 {
		fmt.Fprintf(&b, "10.%d.%d.%d,", n>>15, n>>7&255, n<<1&255)
	}
	return b.String()
}

// connected is a connection on which something was said.
func connected(ctx context.Context, say string) (net.Conn, error) {
	conn, err := (&net.Dialer{Timeout: 5 * time.Second}).DialContext(ctx, "tcp", listen)
	if err != nil {
		return nil, err
	}
	context.AfterFunc(ctx, func() { _ = conn.Close() })
	_, err = io.WriteString(conn, say)
	return conn, err
}

// trickle says something, and then a letter now and then.
func trickle(begin, letter string) func(context.Context, *world) int {
	return func(ctx context.Context, _ *world) int {
		conn, err := connected(ctx, begin)
		if err != nil {
			return 0
		}
		defer conn.Close()
		for ctx.Err() == nil {
			if _, err := io.WriteString(conn, letter); err != nil {
				return 0
			}
			time.Sleep(200 * time.Millisecond)
		}
		return 0
	}
}

// unread asks for much, and reads none of it.
func unread(ctx context.Context, w *world) int {
	from := time.Now().AddDate(0, 0, -14).UTC().Format(time.RFC3339)
	conn, err := connected(ctx, "GET /api/v1/samples/export?from="+from+" HTTP/1.1\r\nHost: "+listen+"\r\nAuthorization: Bearer "+w.token+
		"\r\n\r\n")
	if err != nil {
		return 0
	}
	defer conn.Close()
	<-ctx.Done()
	return 0
}

// listener opens a stream of events more.
func listener(ctx context.Context, w *world) int {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, at+"/events", nil)
	if err != nil {
		return 0
	}
	for _, c := range w.person.Jar.Cookies(req.URL) {
		req.AddCookie(c)
	}
	res, err := http.DefaultTransport.RoundTrip(req)
	if err != nil {
		return 0
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, res.Body)
	return res.StatusCode
}

func elsewhere(ctx context.Context, _ *world) int {
	return raw(ctx, http.MethodGet, at+"/signin", "", nil, func(r *http.Request) { r.Host = "evil.example" })
}

// forged is a write with the cookies of somebody, from a page of somebody else.
func forged(ctx context.Context, w *world) int {
	u, _ := url.Parse(at)
	return raw(ctx, http.MethodPost, at+"/signout", formType, strings.NewReader(""), func(r *http.Request) {
		r.Header.Set("Origin", "https://evil.example")
		r.Header.Set("Sec-Fetch-Site", "cross-site")
		for _, c := range w.person.Jar.Cookies(u) {
			r.AddCookie(c)
		}
	})
}
