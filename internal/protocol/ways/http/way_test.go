package http

import (
	"crypto/tls"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/waytest"
)

// fetched fetches by settings that go beyond the usual ones.
func fetched(t *testing.T, address string, ask way.Settings) (way.Question, derive.Fetched) {
	t.Helper()
	return fetchedWith(t, address, ask, way.Opened{})
}

func fetchedWith(t *testing.T, address string, ask way.Settings, c way.Opened) (way.Question, derive.Fetched) {
	t.Helper()
	w := Way(waytest.Loopback(t))
	q := waytest.Question(t, w, ask)
	q.Address, q.Credential = netip.MustParseAddr(address), c
	return q, ways.List{w}.Ask(t.Context(), q)
}

func look(t *testing.T, got derive.Fetched) waytest.Seen {
	t.Helper()
	return waytest.Look(t, Way(nil), got)
}

func serve(t *testing.T, f http.HandlerFunc) *httptest.Server {
	t.Helper()
	s := httptest.NewServer(f)
	t.Cleanup(s.Close)
	return s
}

func TestAPageThatIsAsItShouldBe(t *testing.T) {
	s := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/in" {
			http.SetCookie(w, &http.Cookie{Name: "c", Value: "1"})
			http.Redirect(w, r, "/in", http.StatusFound)
			return
		}
		fmt.Fprintf(w, "%s %s %s cookie=%d", r.Method, r.Header.Get("X-Pier"), r.Host, len(r.Cookies()))
	}))
	t.Cleanup(s.Close)
	port := s.Listener.Addr().(*net.TCPAddr).Port
	// The certificate of the test server is for example.com: the device itself is connected to under that name.
	q, got := fetched(t, "127.0.0.1", way.Settings{"url": fmt.Sprintf("https://example.com:%d/", port), "verify": "no",
		"headers": `X-Pier: north\nAccept: text/plain`, "contains": "GET north example.com", "pattern": `cookie=\d`, "lacks": "error"})
	x := look(t, got)
	assert.Equal(t, verdict.Passes, x.Verdict, x.Says)
	assert.Equal(t, "200 OK", x.Says)
	assert.Equal(t, 200.0, x.By["status"].Num)
	assert.Equal(t, 1.0, x.By["redirects"].Num)
	assert.Equal(t, fmt.Sprintf("GET north example.com:%d cookie=1", port), x.By["body"].Text)
	assert.Equal(t, float64(len(x.By["body"].Text)), x.By["size"].Num)
	for _, phase := range []string{"connect", "tls", "first", "total"} {
		assert.Positive(t, x.By[phase].Num, phase)
	}
	assert.False(t, x.Has("lookup"), "no name was looked up")
	assert.Less(t, x.By["tls"].Num, x.By["total"].Num)
	told := fmt.Sprint(q.Exchange.Lines)
	assert.Contains(t, told, "redirects to https://example.com")
	assert.Contains(t, told, "passes: 200 OK")
	assert.Regexp(t, `in all: connecting .*s, TLS .*s, waiting for the first byte .*s`, told)
}

func TestWhatIsWrongWithAPageIsToldApart(t *testing.T) {
	s := serve(t, func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/denied":
			w.WriteHeader(http.StatusUnauthorized)
		case "/broken":
			w.WriteHeader(http.StatusServiceUnavailable)
		case "/loop":
			http.Redirect(w, r, "/loop", http.StatusFound)
		case "/away":
			http.Redirect(w, r, "http://169.254.169.254/secrets", http.StatusFound)
		case "/slow":
			time.Sleep(500 * time.Millisecond)
		default:
			fmt.Fprint(w, "<h1>Wel<b>come</b>\naboard</h1>")
		}
	})
	port := strings.TrimPrefix(s.URL, "http://127.0.0.1:")
	secure := httptest.NewTLSServer(http.NotFoundHandler())
	t.Cleanup(secure.Close)
	gone, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	gone.Close()
	for name, c := range map[string]struct {
		ask     way.Settings
		verdict verdict.Verdict
		says    string
	}{
		"another status": {way.Settings{"url": "http://{address}:" + port + "/broken"}, verdict.Unexpected,
			"503 Service Unavailable, where 200-299 is expected"},
		"one that is expected": {way.Settings{"url": "http://{address}:" + port + "/broken", "status": "200, 500-504"}, verdict.Passes,
			"503 Service Unavailable"},
		"a credential is asked for": {way.Settings{"url": "http://{address}:" + port + "/denied"}, verdict.SignInFailed,
			"401 Unauthorized: it asks for a credential"},
		"a text is not there": {way.Settings{"url": "http://{address}:" + port, "contains": "Farewell"}, verdict.Unexpected,
			"“Farewell” is not in the page"},
		"a text is broken up": {way.Settings{"url": "http://{address}:" + port, "contains": "Welcome aboard"}, verdict.Unexpected,
			"“Welcome aboard” is in the page, but broken up by markup or a line end; this pattern fits: "},
		"a text is there": {way.Settings{"url": "http://{address}:" + port, "lacks": "aboard"}, verdict.Unexpected,
			"“aboard” is in the page, and must not be"},
		"a pattern does not fit": {way.Settings{"url": "http://{address}:" + port, "pattern": "^aboard$"}, verdict.Unexpected,
			"the pattern ^aboard$ fits nowhere in the page"},
		"round and round": {way.Settings{"url": "http://{address}:" + port + "/loop", "redirects": "2"}, verdict.Unexpected,
			"it redirects more than 2 times, last to http://127.0.0.1:" + port + "/loop"},
		"no redirect is wanted": {way.Settings{"url": "http://{address}:" + port + "/loop", "redirects": "0"}, verdict.Unexpected,
			"302 Found, where 200-299 is expected"},
		"to where nobody may": {way.Settings{"url": "http://{address}:" + port + "/away"}, verdict.Unexpected,
			"it redirects to 169.254.169.254, which is not talked to"},
		"too slow": {way.Settings{"url": "http://{address}:" + port + "/slow", "timeout": "200ms"}, verdict.TimedOut,
			"it does not answer within 200ms"},
		"nothing listens": {way.Settings{"url": "http://" + gone.Addr().String()}, verdict.Refused, "the connection is refused"},
		"no such name":    {way.Settings{"url": "http://nowhere.invalid/", "to": toName}, verdict.NameNotFound, "nowhere.invalid"},
		"an own authority": {way.Settings{"url": secure.URL}, verdict.TLSFailed,
			"the certificate comes from an authority that is not trusted here"},
		"no TLS at all": {way.Settings{"url": "https://{address}:" + port}, verdict.TLSFailed, "what answers there does not speak TLS"},
		"TLS without being asked": {way.Settings{"url": strings.Replace(secure.URL, "https", "http", 1)}, verdict.Unexpected,
			"400 Bad Request"},
	} {
		_, got := fetched(t, "127.0.0.1", c.ask)
		x := look(t, got)
		assert.Equal(t, c.verdict, x.Verdict, "%s: %s", name, x.Says)
		assert.Contains(t, x.Says, c.says, name)
		assert.True(t, x.Has("status") || !x.Has("total"), "%s: only what came to its end has a time", name)
	}
	_, got := fetched(t, "169.254.169.254", nil)
	assert.Equal(t, derive.Unable, got.Failure, "what may not be talked to says nothing of the page")
}

// A server that answers with something else, or breaks off, is told as such; nothing of it differs from time to time.
func TestAHostileServer(t *testing.T) {
	for says, answer := range map[string]string{
		"what comes is not of the protocol: ": "\x00\x01garbage\r\n\r\n",
		"it breaks off the connection":        "",
		"200 OK":                              "HTTP/1.1 200 OK\r\nContent-Length: 3\r\n\r\nabc",
	} {
		port := waytest.Serve(t, func(c net.Conn) {
			_, _ = c.Read(make([]byte, 1000))
			_, _ = c.Write([]byte(answer))
		})
		var texts []string
		for range 2 {
			_, got := fetched(t, "127.0.0.1", way.Settings{"url": "http://127.0.0.1:" + port})
			texts = append(texts, look(t, got).Says)
		}
		assert.Contains(t, texts[0], says)
		assert.Equal(t, texts[0], texts[1], "a text that differed each time would fill the store")
	}
}

const lamp = "a lamp on the pier"

func TestASecretGoesToTheDeviceAlone(t *testing.T) {
	var others []string
	other := serve(t, func(_ http.ResponseWriter, r *http.Request) { others = append(others, r.Header.Get("Authorization")) })
	s := serve(t, func(w http.ResponseWriter, r *http.Request) {
		user, password, _ := r.BasicAuth()
		switch {
		case r.URL.Path == "/away":
			http.Redirect(w, r, other.URL, http.StatusTemporaryRedirect)
		case user == "owl" && password == lamp:
			fmt.Fprintf(w, "you said %s and %s", password, r.Header.Get("Authorization"))
		default:
			w.WriteHeader(http.StatusForbidden)
		}
	})
	c := way.Opened{Kind: basic, Settings: way.Settings{"user": "owl"}, Secrets: domain.Secrets{"password": lamp}}
	q, got := fetchedWith(t, "127.0.0.1", way.Settings{"url": s.URL}, c)
	x := look(t, got)
	assert.Equal(t, verdict.Passes, x.Verdict, x.Says)
	assert.Equal(t, "you said ••• and Basic •••", x.By["body"].Text)
	assert.NotContains(t, fmt.Sprint(q.Exchange.Lines), lamp)

	_, got = fetchedWith(t, "127.0.0.1", way.Settings{"url": s.URL + "/away"}, c)
	assert.Contains(t, look(t, got).Says, "which is not followed with a secret")
	assert.Empty(t, others)

	c.Secrets["password"] = "another"
	_, got = fetchedWith(t, "127.0.0.1", way.Settings{"url": s.URL}, c)
	x = look(t, got)
	assert.Equal(t, verdict.SignInFailed, x.Verdict)
	assert.Equal(t, "403 Forbidden: the credential is not taken", x.Says)

	_, got = fetchedWith(t, "127.0.0.1", way.Settings{"url": s.URL, "to": toName}, c)
	assert.Equal(t, derive.Withheld, got.Failure)
	_, got = fetchedWith(t, "127.0.0.1", way.Settings{"url": s.URL, "proxy": other.URL}, c)
	assert.Equal(t, derive.Withheld, got.Failure)
	assert.Empty(t, others)

	_, got = fetchedWith(t, "127.0.0.1", way.Settings{"url": other.URL},
		way.Opened{Kind: bearer, Secrets: domain.Secrets{"token": "quay"}})
	require.Equal(t, verdict.Passes, look(t, got).Verdict)
	assert.Equal(t, []string{"Bearer quay"}, others)
}

func TestAPageIsFetchedThroughAProxy(t *testing.T) {
	var asked []string
	proxy := serve(t, func(w http.ResponseWriter, r *http.Request) {
		asked = append(asked, r.URL.String())
		fmt.Fprint(w, "by proxy")
	})
	_, got := fetched(t, "127.0.0.1", way.Settings{"url": "http://intranet.invalid/start", "proxy": proxy.URL, "contains": "by proxy"})
	assert.Equal(t, verdict.Passes, look(t, got).Verdict)
	assert.Equal(t, []string{"http://intranet.invalid/start"}, asked)
}

func TestSettingsAreChecked(t *testing.T) {
	for name, wrong := range map[string]way.Settings{
		"url":     {"url": "ftp://{address}/"},
		"headers": {"headers": "no header"},
		"status":  {"status": "200-100"},
		"pattern": {"pattern": "("},
		"proxy":   {"proxy": "192.0.2.8:3128"},
	} {
		_, errs := field.Check(Description.Ask, wrong)
		assert.NotEmpty(t, errs[name], name)
	}
	_, errs := field.Check(Description.Ask, way.Settings{"url": "https://ines:pw@{address}/"})
	assert.Contains(t, errs["url"], "choose a credential")
	_, errs = field.Check(Description.Ask, way.Settings{"headers": "X: a\\nY: b\x00c"})
	assert.NotEmpty(t, errs["headers"], "nothing that ends a header is let in")
	_, errs = field.Check(Description.Ask, way.Settings{"url": "https://{address}:{port}/{path}"})
	assert.Empty(t, errs["url"], "parameters may stand anywhere in it")
}

func TestVerdictsOfTLS(t *testing.T) {
	expired := httptest.NewUnstartedServer(http.NotFoundHandler())
	expired.TLS = &tls.Config{MaxVersion: tls.VersionTLS11, MinVersion: tls.VersionTLS10} //nolint:gosec // that is the point
	expired.StartTLS()
	t.Cleanup(expired.Close)
	u, err := url.Parse(expired.URL)
	require.NoError(t, err)
	_, got := fetched(t, "127.0.0.1", way.Settings{"url": "https://{address}:" + u.Port()})
	x := look(t, got)
	assert.Equal(t, verdict.TLSFailed, x.Verdict, x.Says)
	assert.Contains(t, x.Says, "protocol version")
}

// What the place of a device does not let be talked to is not connected to, wherever a redirect or a name leads.
func TestRedirectsKeepToTheBoundsOfThePlace(t *testing.T) {
	asked := 0
	outside := serve(t, func(http.ResponseWriter, *http.Request) { asked++ })
	s := serve(t, func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, strings.Replace(outside.URL, "127.0.0.1", "127.0.0.2", 1), http.StatusFound)
	})
	w := Way(waytest.Loopback(t))
	q := waytest.Question(t, w, way.Settings{"url": s.URL})
	q.Refuses = func(a netip.Addr) string {
		if a.String() != "127.0.0.1" {
			return "lies outside of what its place lets be talked to"
		}
		return ""
	}
	x := look(t, ways.List{w}.Ask(t.Context(), q))
	assert.Equal(t, verdict.Unexpected, x.Verdict)
	assert.Equal(t, "it redirects to 127.0.0.2, which is not talked to: it lies outside of what its place lets be talked to", x.Says)
	q = waytest.Question(t, w, way.Settings{"url": "http://localhost:1/", "to": toName})
	q.Refuses = func(netip.Addr) string { return "lies outside of what its place lets be talked to" }
	got := ways.List{w}.Ask(t.Context(), q)
	assert.Equal(t, derive.Unable, got.Failure)
	assert.NotContains(t, got.Error, "OWL_ALLOW_ADDRESSES")
	assert.Zero(t, asked)
}
