package sim

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func ask(t *testing.T, h http.Handler, method, path, token, body string, headers ...string) (int, string) {
	t.Helper()
	r := httptest.NewRequest(method, path, strings.NewReader(body))
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w.Code, w.Body.String()
}

func TestDeskOpensOneTicketForOneReference(t *testing.T) {
	h := newDesk("", "token", "http://desk.example", newFaults()).handler()
	status, _ := ask(t, h, "GET", "/api/tickets", "", "")
	assert.Equal(t, http.StatusUnauthorized, status)
	status, _ = ask(t, h, "GET", "/api/tickets", "other", "")
	assert.Equal(t, http.StatusUnauthorized, status)
	status, body := ask(t, h, "POST", "/api/tickets", "token", `{"title":""}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "needs a title")
	status, body = ask(t, h, "POST", "/api/tickets", "token", `{"title":"log-1 is full","reference":"http://owl/incidents/1"}`)
	require.Equal(t, http.StatusCreated, status, body)
	var first, second Ticket
	require.NoError(t, json.Unmarshal([]byte(body), &first))
	assert.Equal(t, "new", first.State)
	assert.Equal(t, "http://desk.example/tickets/"+first.Number, first.URL)
	status, body = ask(t, h, "POST", "/api/tickets", "token", `{"title":"again","reference":"http://owl/incidents/1"}`)
	assert.Equal(t, http.StatusOK, status)
	require.NoError(t, json.Unmarshal([]byte(body), &second))
	assert.Equal(t, first.Number, second.Number)
	_, body = ask(t, h, "GET", "/api/tickets?reference=http://owl/incidents/2", "token", "")
	assert.Equal(t, "[]", strings.TrimSpace(body))
}

func TestDeskNotesAndStates(t *testing.T) {
	file := filepath.Join(t.TempDir(), "tickets.json")
	d := newDesk(file, "token", "http://desk.example", newFaults())
	h := d.handler()
	_, body := ask(t, h, "POST", "/api/tickets", "token", `{"title":"<script>x","link":"javascript:alert(1)"}`)
	var made Ticket
	require.NoError(t, json.Unmarshal([]byte(body), &made))
	path := "/api/tickets/" + made.Number
	for range 2 {
		status, body := ask(t, h, "POST", path+"/notes", "token", `{"text":"Recovered"}`, "Idempotency-Key", "k1")
		require.Equal(t, http.StatusCreated, status, body)
	}
	status, _ := ask(t, h, "POST", path+"/notes", "token", `{"text":""}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	status, _ = ask(t, h, "POST", "/api/tickets/KL-9/notes", "token", `{"text":"x"}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	status, _ = ask(t, h, "PATCH", path, "token", `{"state":"solved"}`)
	assert.Equal(t, http.StatusOK, status)
	status, _ = ask(t, h, "PATCH", path, "token", `nonsense`)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	status, _ = ask(t, h, "GET", "/api/tickets/KL-9", "token", "")
	assert.Equal(t, http.StatusNotFound, status)

	// A desk that starts again remembers.
	h = newDesk(file, "token", "http://desk.example", newFaults()).handler()
	status, body = ask(t, h, "GET", path, "token", "")
	require.Equal(t, http.StatusOK, status)
	var kept Ticket
	require.NoError(t, json.Unmarshal([]byte(body), &kept))
	assert.Equal(t, "solved", kept.State)
	assert.Len(t, kept.Notes, 1, "a repeated note is one note")
	for _, page := range []string{"/", "/tickets/" + made.Number} {
		status, body = ask(t, h, "GET", page, "", "")
		assert.Equal(t, http.StatusOK, status, page)
		assert.NotContains(t, body, "<script>x", page)
		assert.NotContains(t, body, "javascript:", page)
	}
	status, _ = ask(t, h, "GET", "/tickets/KL-9", "", "")
	assert.Equal(t, http.StatusNotFound, status)
}

func TestSpoiltDeskSpoilsTheInterfaceOnly(t *testing.T) {
	f := newFaults()
	h := newDesk("", "token", "http://desk.example", f).handler()
	_, err := f.add(Fault{Kind: FaultDeskRefuses}, time.Now())
	require.NoError(t, err)
	_, err = f.add(Fault{Kind: FaultDeskRefuses}, time.Now())
	assert.ErrorContains(t, err, "already")
	status, body := ask(t, h, "GET", "/api/tickets", "token", "")
	assert.Equal(t, http.StatusInternalServerError, status)
	assert.Contains(t, body, "lost its database")
	status, _ = ask(t, h, "GET", "/", "", "")
	assert.Equal(t, http.StatusOK, status, "the page can be looked at")
}

func TestMailSinkKeepsTheNewest(t *testing.T) {
	file := filepath.Join(t.TempDir(), "mail.json")
	s := newSink(file, newFaults())
	const text = "Subject: =?UTF-8?q?Critical=3A_caf=C3=A9?=\r\nMessage-ID: <7@owl>\r\nContent-Transfer-Encoding: " +
		"quoted-printable\r\n\r\n90=20% <b>\r\n"
	for range keepMails + 5 {
		talk, err := s.NewSession(nil)
		require.NoError(t, err)
		require.NoError(t, talk.Mail("owl@kittiwake.example", nil))
		require.NoError(t, talk.Rcpt("shore-desk@kittiwake.example", nil))
		require.NoError(t, talk.Data(strings.NewReader(text)))
		talk.Reset()
	}
	h := mailSite(newSink(file, newFaults()))
	_, body := ask(t, h, "GET", "/", "", "", "Accept", "application/json")
	var got []Mail
	require.NoError(t, json.Unmarshal([]byte(body), &got))
	require.Len(t, got, keepMails)
	assert.Equal(t, "Critical: café", got[0].Subject)
	assert.Equal(t, "<7@owl>", got[0].ID)
	assert.Equal(t, "90 % <b>", strings.TrimSpace(got[0].Body))
	_, body = ask(t, h, "GET", "/", "", "")
	assert.Contains(t, body, "90 % &lt;b&gt;")
}

func TestControlRefusesWhatItCannotBreak(t *testing.T) {
	e := estate()
	h := e.control()
	for body, want := range map[string]string{
		`{"kind":"stop","target":"nobody"}`:                    "device",
		`{"kind":"cut","target":"Atlantis"}`:                   "place",
		`{"kind":"fill","target":"log-1","volume":"/nowhere"}`: "volume",
		`{"kind":"wobble"}`:                                    "unknown kind",
		`nonsense`:                                             "",
	} {
		status, got := ask(t, h, "POST", "/faults", "", body)
		assert.GreaterOrEqual(t, status, 400, body)
		assert.Contains(t, got, want, body)
	}
	status, _ := ask(t, h, "DELETE", "/faults/99", "", "")
	assert.Equal(t, http.StatusNotFound, status)
	status, body := ask(t, h, "POST", "/faults", "", `{"kind":"stop","target":"log-1"}`)
	require.Less(t, status, 300, body)
	_, body = ask(t, h, "GET", "/faults", "", "")
	assert.Contains(t, body, "log-1")
}

func TestHistoryOverTheControl(t *testing.T) {
	e := estate()
	d := e.byName["log-1"]
	from := origin.Add(-time.Hour)
	path := fmt.Sprintf("/history?address=%s&from=%d&to=%d&step=60", d.Address, from.Unix(), from.Add(10*time.Minute).Unix())
	status, body := ask(t, e.control(), "GET", path, "", "")
	require.Equal(t, http.StatusOK, status, body)
	lines := strings.Split(strings.TrimSpace(body), "\n")
	assert.GreaterOrEqual(t, len(lines), 10)
	for _, wrong := range []string{
		"/history", "/history?address=192.0.2.1&from=1&to=2&step=1", strings.Replace(path, "step=60", "step=0", 1),
		strings.Replace(path, "from=", "from=-9", 1),
	} {
		status, _ := ask(t, e.control(), "GET", wrong, "", "")
		assert.Equal(t, http.StatusBadRequest, status, wrong)
	}
}
