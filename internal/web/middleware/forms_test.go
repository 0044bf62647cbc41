package middleware

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

func TestWhatCannotBeReadAsAWholeIsRefused(t *testing.T) {
	const form = "application/x-www-form-urlencoded"
	const parts = "multipart/form-data; boundary=x"
	for _, c := range []struct {
		method, path, kind, body string
		problem                  error
	}{
		{"GET", "/?q=a%20b", "", "", nil},
		{"GET", "/?q=%zz", "", "", domain.ErrUnreadable},
		{"GET", "/?q=%00", "", "", domain.ErrUnreadable},
		{"GET", "/?q=%ff", "", "", domain.ErrUnreadable},
		{"GET", "/?a=1;b=2", "", "", domain.ErrUnreadable},
		{"POST", "/", form, "paused=yes&name=K%C3%BCste", nil},
		{"POST", "/", form, "", nil},
		{"POST", "/", "", "", nil},
		{"POST", "/", form, "name=x&paused=%zz", domain.ErrUnreadable},
		{"POST", "/", form, "name=%00", domain.ErrUnreadable},
		{"POST", "/", form, "name=%fe", domain.ErrUnreadable},
		{"POST", "/", form, "na%00me=x", domain.ErrUnreadable},
		{"POST", "/", "text/plain", "paused=yes", domain.ErrUnreadable},
		{"POST", "/", "", "paused=yes", domain.ErrUnreadable},
		{"POST", "/", "application/json", "{}", domain.ErrUnreadable},
		{"POST", "/key", "application/json", "{}", nil},
		{"POST", "/", "a/b/c", "paused=yes", domain.ErrUnreadable},
		{"POST", "/", parts, "--x\r\nContent-Disposition: form-data; name=\"a\"\r\n\r\n1\r\n--x--\r\n", nil},
		{"POST", "/", parts, "--x\r\nContent-Disposition: form-data; name=\"a\"\r\n\r\n1", domain.ErrUnreadable},
		{"POST", "/", "multipart/form-data", "paused=yes", domain.ErrUnreadable},
		{"POST", "/", form, "name=" + strings.Repeat("x", 300), new(http.MaxBytesError)},
	} {
		var told error
		done := false
		h := Forms([]string{"/key"}, func(_ http.ResponseWriter, _ *http.Request, err error) { told = err })(
			http.HandlerFunc(func(http.ResponseWriter, *http.Request) { done = true }),
		)
		r := httptest.NewRequest(c.method, c.path, strings.NewReader(c.body))
		r.Header.Set("Content-Type", c.kind)
		w := httptest.NewRecorder()
		r.Body = http.MaxBytesReader(w, r.Body, 200)
		h.ServeHTTP(w, r)
		assert.Equal(t, c.problem == nil, done, c)
		if large := new(http.MaxBytesError); errors.As(c.problem, &large) {
			assert.ErrorAs(t, told, &large, c)
			continue
		}
		assert.ErrorIs(t, told, c.problem, c)
	}
}
