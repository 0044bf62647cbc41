package middleware

import (
	"io"
	"net/http"
	"time"
)

// Who sends or reads nothing for so long is gone, or wants to be waited for.
const (
	stillFor = 30 * time.Second
	// bodyFor is how long a request may take to come in, in all; larger ones take longer.
	bodyFor       = 2 * time.Minute
	largerBodyFor = time.Hour
)

// Pace ends the connections of those who send a byte now and then, or read no answer. Each
// read and write moves the end; sizes says which paths take large requests.
func Pace(sizes map[string]int64) func(http.Handler) http.Handler { return paced(sizes, stillFor) }

func paced(sizes map[string]int64, still time.Duration) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			whole := bodyFor
			if sizes[r.URL.Path] > maxBody {
				whole = largerBodyFor
			}
			control := http.NewResponseController(w)
			if r.Body != nil && r.Body != http.NoBody {
				r.Body = &pacedBody{r.Body, control, time.Now().Add(whole), still}
			}
			answer := &pacedAnswer{w, control, still}
			// What was written long ago may still wait to be sent when all is done.
			defer answer.prolong()
			next.ServeHTTP(answer, r)
		})
	}
}

type pacedBody struct {
	io.ReadCloser
	control *http.ResponseController
	last    time.Time
	still   time.Duration
}

// Read implements io.Reader.
func (b *pacedBody) Read(p []byte) (int, error) {
	end := time.Now().Add(b.still)
	if b.last.Before(end) {
		end = b.last
	}
	_ = b.control.SetReadDeadline(end) // where there is no connection, as in tests, there is none to end
	n, err := b.ReadCloser.Read(p)
	if err != nil {
		_ = b.control.SetReadDeadline(time.Time{}) // what is done with it may take longer
	}
	return n, err
}

type pacedAnswer struct {
	http.ResponseWriter
	control *http.ResponseController
	still   time.Duration
}

// Write implements io.Writer.
func (a *pacedAnswer) Write(p []byte) (int, error) {
	a.prolong()
	return a.ResponseWriter.Write(p)
}

// Flush implements http.Flusher.
func (a *pacedAnswer) Flush() {
	a.prolong()
	_ = a.control.Flush()
}

// Unwrap is for http.ResponseController.
func (a *pacedAnswer) Unwrap() http.ResponseWriter { return a.ResponseWriter }

func (a *pacedAnswer) prolong() { _ = a.control.SetWriteDeadline(time.Now().Add(a.still)) }
