package desk

import (
	"errors"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"tirelessowl/internal/protocol/dial"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// peer is a desk that answers as a test wants and keeps what it was asked.
func peer(t *testing.T, answer http.HandlerFunc) (Desk, *[]string) {
	t.Helper()
	var asked []string
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked = append(asked, r.Method+" "+r.URL.RequestURI()+" key="+r.Header.Get("Idempotency-Key")+" "+r.Header.Get("Authorization"))
		answer(w, r)
	}))
	t.Cleanup(server.Close)
	return Desk{URL: server.URL + "/", Token: "harbour", HTTP: plain}, &asked
}

func says(status int, body string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(status); _, _ = w.Write([]byte(body)) }
}

func TestOpenLooksFirst(t *testing.T) {
	d, asked := peer(t, says(200, `[{"number":"KL-7"}]`))
	got, err := d.Open(t.Context(), Ticket{Reference: "http://owl/incidents/1?a=b"})
	require.NoError(t, err)
	assert.Equal(t, "KL-7", got.Number)
	assert.Equal(
		t,
		[]string{"GET /api/tickets?reference=http%3A%2F%2Fowl%2Fincidents%2F1%3Fa%3Db key= Bearer harbour"},
		*asked,
		"no second ticket is asked for",
	)
}

func TestOpenMakesWithTheReferenceAsKey(t *testing.T) {
	d, asked := peer(t, func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodGet {
			says(200, `[]`)(w, r)
			return
		}
		says(201, `{"number":"KL-8","url":"http://desk/8"}`)(w, r)
	})
	got, err := d.Open(t.Context(), Ticket{Reference: "ref-1", Title: "x"})
	require.NoError(t, err)
	assert.Equal(t, "http://desk/8", got.URL)
	assert.Contains(t, (*asked)[1], "POST /api/tickets key=ref-1")
}

func TestBadAnswersAreToldInWords(t *testing.T) {
	for name, c := range map[string]struct {
		status    int
		body      string
		want      string
		permanent bool
	}{
		"problem":      {500, `{"title":"Broken","detail":"no database"}`, "500: Broken no database", false},
		"plain":        {503, "come  back\nlater", "503: come back later", false},
		"nonsense":     {200, "<html>portal", "not JSON", false},
		"refused":      {422, `{"detail":"a title is needed"}`, "a title is needed", true},
		"signed out":   {401, `{}`, "401", false},
		"endless text": {500, strings.Repeat("x", 5000), "…", false},
	} {
		d, _ := peer(t, says(c.status, c.body))
		_, err := d.Note(t.Context(), "KL-1", "k", "text")
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), c.want, name)
		assert.Less(t, len(err.Error()), 200, name)
		assert.NotContains(t, err.Error(), "harbour", "the token is never shown")
		var answer *Error
		require.True(t, errors.As(err, &answer), name)
		assert.Equal(t, c.permanent, answer.Permanent(), name)
	}
}

func TestNoNumberIsNoTicket(t *testing.T) {
	d, _ := peer(t, func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodGet {
			says(200, `[]`)(w, r)
			return
		}
		says(200, `{}`)(w, r)
	})
	_, err := d.Open(t.Context(), Ticket{Reference: "r"})
	assert.ErrorContains(t, err, "no ticket number")
}

func TestUnreachableDesk(t *testing.T) {
	server := httptest.NewServer(nil)
	server.Close()
	assert.ErrorContains(t, Desk{URL: server.URL, HTTP: plain}.Check(t.Context()), "cannot be reached")
}

func TestNumbersAreEscaped(t *testing.T) {
	d, asked := peer(t, says(200, `{}`))
	_, err := d.Note(t.Context(), "../admin", "k", "x")
	require.NoError(t, err)
	assert.Contains(t, (*asked)[0], "/api/tickets/..%2Fadmin/notes")
}

var plain = dial.Client((&net.Dialer{}).DialContext, Patience)

// Where a desk sends us to, the token does not go.
func TestADeskIsNotFollowed(t *testing.T) {
	other := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { t.Error("it was followed") }))
	defer other.Close()
	server := httptest.NewServer(http.RedirectHandler(other.URL, http.StatusTemporaryRedirect))
	defer server.Close()
	err := Desk{URL: server.URL, Token: "harbour", HTTP: plain}.Check(t.Context())
	assert.ErrorContains(t, err, "the desk answers 307")
}
