package signin

import (
	"fmt"
	"io"
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
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/waytest"
)

const lamp = "a lamp & the pier"

func serve(t *testing.T, f http.HandlerFunc) *httptest.Server {
	t.Helper()
	s := httptest.NewServer(f)
	t.Cleanup(s.Close)
	return s
}

// ask signs in by settings beyond the usual ones.
func ask(t *testing.T, settings way.Settings, password string, bound string) (way.Question, derive.Fetched) {
	t.Helper()
	w := Way(waytest.Loopback(t))
	q := waytest.Question(t, w, settings)
	set, err := ranges.Read(bound)
	require.NoError(t, err)
	secrets := domain.Secrets{"password": domain.Secret(password)}
	q.Credential = way.Opened{Kind: account, Settings: way.Settings{"user": "owl"}, Secrets: secrets, Bound: set}
	got := ways.List{w}.Ask(t.Context(), q)
	told := fmt.Sprint(got, q.Exchange.Lines)
	assert.NotContains(t, told, password)
	assert.NotContains(t, told, url.QueryEscape(password))
	return q, got
}

func look(t *testing.T, settings way.Settings, password string) waytest.Seen {
	t.Helper()
	_, got := ask(t, settings, password, "")
	return waytest.Look(t, Way(nil), got)
}

// portal is one that wants its cookie and its token back, and is entered over redirects.
func portal(w http.ResponseWriter, r *http.Request) {
	cookie, _ := r.Cookie("visit")
	switch {
	case r.URL.Path == "/":
		http.Redirect(w, r, "/login?from=start", http.StatusFound)
	case r.Method == http.MethodGet && r.URL.Path == "/login":
		http.SetCookie(w, &http.Cookie{Name: "visit", Value: "7", Path: "/", HttpOnly: true})
		fmt.Fprint(w, `<form action="/find"><input name=q></form><table><form method=post>
			<input type=hidden name=token value="a&quot;b"><tr><td><input name=f1><td><input type=password name=f2></form></table>`)
	case r.Method == http.MethodPost && r.URL.Path == "/login":
		taken := cookie != nil && cookie.Value == "7" && r.PostFormValue("token") == `a"b` && r.Header.Get("Origin") == "http://"+r.Host &&
			strings.HasSuffix(r.Referer(), "/login?from=start")
		if !taken || r.PostFormValue("f1") != "owl" || r.PostFormValue("f2") != lamp {
			fmt.Fprintf(w, `<p>No <b>such</b> account</p><form method=post><input name=f1 value=%q><input type=password name=f2></form>`,
				r.PostFormValue("f2"))
			return
		}
		http.SetCookie(w, &http.Cookie{Name: "in", Value: "1", Path: "/"})
		http.Redirect(w, r, "/home", http.StatusSeeOther)
	case r.URL.Path == "/home":
		if in, err := r.Cookie("in"); err != nil || in.Value != "1" {
			w.WriteHeader(http.StatusForbidden)
			return
		}
		fmt.Fprint(w, "<h1>Wel<i>come</i>\naboard, owl</h1><a>Sign out</a>")
	}
}

func TestSomebodySignsIn(t *testing.T) {
	s := serve(t, portal)
	q, got := ask(t, way.Settings{"url": s.URL, "success": "Sign out"}, lamp, "")
	x := waytest.Look(t, Way(nil), got)
	require.Equal(t, verdict.Passes, x.Verdict, x.Says)
	assert.Equal(t, "signed in", x.Says)
	assert.Equal(t, 200.0, x.By["status"].Num)
	assert.Equal(t, 2.0, x.By["redirects"].Num, "to the form, and home")
	assert.Contains(t, x.By["body"].Text, "aboard, owl")
	assert.InDelta(t, x.By["total"].Num, x.By["form"].Num+x.By["entry"].Num, 0.05)
	told := fmt.Sprint(q.Exchange.Lines)
	assert.Contains(t, told, "form number 1 of the page: it asks for no password")
	assert.Contains(t, told, "form number 2 of the page: it asks for a name and a password")
	assert.Contains(t, told, "user in “f1”, password in “f2”, as they stand: token")
	assert.Contains(t, told, "passes: signed in")
	assert.Equal(t, verdict.Passes, look(t, way.Settings{"url": s.URL}, lamp).Verdict, "no form comes again")
}

func TestWhyNobodyIsInIsToldApart(t *testing.T) {
	s := serve(t, portal)
	other := serve(t, func(w http.ResponseWriter, r *http.Request) {
		form := `<form method=post action=%s><input name=user><input type=password name=pw></form>`
		switch r.URL.Path {
		case "/script":
			fmt.Fprint(w, `<div><input type=password></div><script></script>`)
		case "/gone":
			w.WriteHeader(http.StatusNotFound)
		case "/query":
			fmt.Fprint(w, `<form><input name=user><input type=password name=pw></form>`)
		case "/denied":
			fmt.Fprintf(w, form, "/no")
		case "/no":
			w.WriteHeader(http.StatusForbidden)
		case "/broken":
			fmt.Fprintf(w, form, "/500")
		case "/500":
			w.WriteHeader(http.StatusInternalServerError)
		case "/round":
			http.Redirect(w, r, "/round", http.StatusFound)
		case "/names":
			fmt.Fprint(w, `<form method=post><input name=username></form>`)
		case "/slow":
			fmt.Fprintf(w, form, "/sleep")
		case "/sleep":
			time.Sleep(500 * time.Millisecond)
		case "/out":
			fmt.Fprintf(w, form, "http://169.254.169.254/in")
		}
	})
	for name, c := range map[string]struct {
		ask      way.Settings
		password string
		verdict  verdict.Verdict
		says     string
	}{
		"it asks again": {way.Settings{"url": s.URL}, "x1", verdict.SignInFailed,
			"nobody is let in: the page asks for the password again"},
		"and the text is not there": {way.Settings{"url": s.URL, "success": "Sign out"}, "x1", verdict.SignInFailed,
			"nobody is let in: the page asks for the password again, and “Sign out” is not in the page"},
		"it says so, broken up": {way.Settings{"url": s.URL, "failure": "No such account"}, "x1", verdict.SignInFailed,
			"nobody is let in: the page says “No such account”"},
		"a text that is broken up": {way.Settings{"url": s.URL, "success": "Welcome aboard"}, lamp, verdict.Unexpected,
			"“Welcome aboard” is in the page, but broken up by markup or a line end; this pattern fits: Wel(?:<[^>]*>|\\s)*come"},
		"a text that is not there": {way.Settings{"url": s.URL, "success": "Farewell"}, lamp, verdict.Unexpected,
			"“Farewell” is not in the page"},
		"a pattern": {way.Settings{"url": s.URL, "pattern": "Sign (up|off)"}, lamp, verdict.Unexpected,
			"the pattern Sign (up|off) fits nowhere in the page"},
		"another field": {way.Settings{"url": s.URL, "password": "pw"}, lamp, verdict.Unexpected,
			"no form of the page has what the hints name"},
		"a script": {way.Settings{"url": other.URL + "/script"}, lamp, verdict.Unexpected, "a script signs people in"},
		"no page": {way.Settings{"url": other.URL + "/gone"}, lamp, verdict.Unexpected,
			"404 Not Found, where a page with a form is expected"},
		"readable": {way.Settings{"url": other.URL + "/query"}, lamp, verdict.Unexpected,
			"into the address of a page"},
		"denied": {way.Settings{"url": other.URL + "/denied"}, lamp, verdict.SignInFailed,
			"403 Forbidden: the credential is not taken"},
		"broken": {way.Settings{"url": other.URL + "/broken"}, lamp, verdict.Unexpected,
			"500 Internal Server Error, where 200-299 is expected"},
		"round": {way.Settings{"url": other.URL + "/round"}, lamp, verdict.Unexpected, "it redirects more than 8 times"},
		"names": {way.Settings{"url": other.URL + "/names"}, lamp, verdict.Unexpected, "and never for a password"},
		"slow": {way.Settings{"url": other.URL + "/slow", "timeout": "200ms"}, lamp, verdict.TimedOut,
			"it does not answer within 200ms"},
		"no TLS":  {way.Settings{"url": strings.Replace(s.URL, "http", "https", 1)}, lamp, verdict.TLSFailed, "does not speak TLS"},
		"no name": {way.Settings{"url": "http://nowhere.invalid", "to": toName}, lamp, verdict.NameNotFound, "nowhere.invalid"},
	} {
		x := look(t, c.ask, c.password)
		assert.Equal(t, c.verdict, x.Verdict, "%s: %s", name, x.Says)
		assert.Contains(t, x.Says, c.says, name)
	}
	_, got := ask(t, way.Settings{"url": other.URL + "/out"}, lamp, "")
	assert.Equal(t, derive.Unable, got.Failure, "what the guard refuses is never connected to")
}

func TestTheNameFirstAndThePasswordThen(t *testing.T) {
	s := serve(t, func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.PostFormValue("pw") == lamp && r.PostFormValue("who") == "owl":
			fmt.Fprint(w, `<meta http-equiv=refresh content="0; url=/home">`)
		case r.URL.Path == "/home":
			w.Header().Set("Content-Type", "text/html; charset=iso-8859-1")
			fmt.Fprint(w, "gr\xfc\xdfe")
		case r.PostFormValue("username") == "owl":
			fmt.Fprint(w, `<form method=post enctype="multipart/form-data"><input type=hidden name=who value=owl>
				<input type=password name=pw></form>`)
		default:
			fmt.Fprint(w, `<form method=post><input name=username></form>`)
		}
	})
	x := look(t, way.Settings{"url": s.URL, "success": "grüße"}, lamp)
	assert.Equal(t, verdict.Passes, x.Verdict, x.Says)
	assert.Equal(t, 1.0, x.By["redirects"].Num)
}

// The password goes to addresses that its credential is bound to, and nowhere else: neither by a form, nor by a redirect
// that has it sent again, nor by a name that stands for another address.
func TestThePasswordGoesOnlyWhereItMay(t *testing.T) {
	var heard []string
	elsewhere := httptest.NewUnstartedServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		heard = append(heard, string(body))
	}))
	l, err := net.Listen("tcp", "127.93.7.7:0")
	require.NoError(t, err)
	elsewhere.Listener.Close()
	elsewhere.Listener = l
	elsewhere.Start()
	t.Cleanup(elsewhere.Close)
	s := serve(t, func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.Method == http.MethodPost:
			http.Redirect(w, r, elsewhere.URL, http.StatusPermanentRedirect)
		case r.URL.Path == "/again":
			fmt.Fprint(w, `<form method=post><input name=user><input type=password name=pw></form>`)
		default:
			fmt.Fprintf(w, `<form method=post action=%q><input name=user><input type=password name=pw></form>`, elsewhere.URL)
		}
	})
	for _, path := range []string{"/", "/again"} {
		_, got := ask(t, way.Settings{"url": s.URL + path}, lamp, "")
		assert.Equal(t, derive.Withheld, got.Failure, got.Error)
		assert.Contains(t, got.Error, "the credential is not bound to where that is")
		assert.Empty(t, heard)
		_, got = ask(t, way.Settings{"url": s.URL + path}, lamp, "127.93.7.0/24")
		assert.Equal(t, verdict.Passes, waytest.Look(t, Way(nil), got).Verdict)
		assert.Equal(t, []string{"user=owl&pw=" + url.QueryEscape(lamp)}, heard)
		heard = nil
	}
	port := strings.TrimPrefix(s.URL, "http://127.0.0.1:")
	_, got := ask(t, way.Settings{"url": "http://localhost:" + port + "/again", "to": toName}, lamp, "")
	assert.Equal(t, derive.Withheld, got.Failure, "what it redirects to is another")
	w := Way(waytest.Loopback(t))
	q := waytest.Question(t, w, way.Settings{"url": s.URL})
	got = ways.List{w}.Ask(t.Context(), q)
	assert.Equal(t, derive.Withheld, got.Failure, "without a credential nothing is asked")
}

func TestThroughAProxy(t *testing.T) {
	s := httptest.NewTLSServer(http.HandlerFunc(portal))
	t.Cleanup(s.Close)
	var connected []string
	proxy := serve(t, func(w http.ResponseWriter, r *http.Request) {
		connected = append(connected, r.Method+" "+r.Host)
		far, err := net.Dial("tcp", r.Host)
		if err != nil {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		near, rest, _ := w.(http.Hijacker).Hijack()
		fmt.Fprint(near, "HTTP/1.1 200 OK\r\n\r\n")
		go func() { _, _ = io.Copy(far, rest); far.Close() }()
		_, _ = io.Copy(near, far)
		near.Close()
	})
	port := strings.TrimPrefix(s.URL, "https://127.0.0.1:")
	_, got := ask(t, way.Settings{"url": "https://pier.example:" + port, "proxy": proxy.URL, "verify": "no"}, lamp, "")
	assert.Equal(t, derive.Withheld, got.Failure, "the certificate must hold")
	assert.Contains(t, got.Error, "through a proxy only by https")
	require.NotEmpty(t, connected)
	assert.Equal(t, "CONNECT 127.0.0.1:"+port, connected[0], "the proxy looks up no name for us")
	x := look(t, way.Settings{"url": "https://pier.example:" + port, "proxy": proxy.URL}, lamp)
	assert.Equal(t, verdict.TLSFailed, x.Verdict, x.Says)
	gone := serve(t, func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusForbidden) })
	x = look(t, way.Settings{"url": s.URL, "proxy": gone.URL}, lamp)
	assert.Equal(t, verdict.ProtocolError, x.Verdict)
	assert.Equal(t, "the proxy does not connect to 127.0.0.1:"+port+": 403 Forbidden", x.Says)
}

func TestSettingsAreChecked(t *testing.T) {
	for name, wrong := range map[string]string{"url": "ftp://x", "pattern": "(", "status": "abc", "proxy": "x", "headers": "x"} {
		_, errs := field.Check(Description.Ask, way.Settings{name: wrong})
		assert.NotEmpty(t, errs[name], name)
	}
	assert.True(t, way.Opened{}.MayGoTo(netip.MustParseAddr("::ffff:127.0.0.1"), netip.MustParseAddr("127.0.0.1")))
}
