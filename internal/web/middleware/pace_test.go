package middleware

import (
	"bufio"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A read may take as long as until the request must have come in, and no longer.
func TestWhoSendsSlowlyIsNotWaitedFor(t *testing.T) {
	failed := make(chan error, 1)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Body = &pacedBody{r.Body, http.NewResponseController(w), time.Now().Add(50 * time.Millisecond), stillFor}
		_, err := io.ReadAll(r.Body)
		failed <- err
	}))
	defer server.Close()
	c, err := net.Dial("tcp", server.Listener.Addr().String())
	require.NoError(t, err)
	defer c.Close()
	_, err = io.WriteString(c, "POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 100\r\n\r\nslow")
	require.NoError(t, err)
	assert.Error(t, <-failed)
}

func TestAnswersComeThroughAndAreFlushed(t *testing.T) {
	server := httptest.NewServer(Pace(nil)(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, err := io.ReadAll(r.Body)
		assert.NoError(t, err)
		_, _ = w.Write(append(body, '\n'))
		w.(http.Flusher).Flush()
		<-r.Context().Done()
	})))
	defer server.Close()
	c, err := net.Dial("tcp", server.Listener.Addr().String())
	require.NoError(t, err)
	defer c.Close()
	_, err = io.WriteString(c, "POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 5\r\n\r\nhello")
	require.NoError(t, err)
	res, err := http.ReadResponse(bufio.NewReader(c), nil) // its body ends with the connection
	require.NoError(t, err)
	line, err := bufio.NewReader(res.Body).ReadString('\n')
	require.NoError(t, err)
	assert.Equal(t, "hello\n", line)
}

// What is done with a request may take longer than to send it.
func TestTheEndOfABodyEndsTheWait(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body := &pacedBody{r.Body, http.NewResponseController(w), time.Now().Add(100 * time.Millisecond), stillFor}
		_, err := io.ReadAll(body)
		assert.NoError(t, err)
		select {
		case <-r.Context().Done():
			t.Error("it was broken off while it was worked on")
		case <-time.After(200 * time.Millisecond):
		}
	}))
	defer server.Close()
	res, err := http.Post(server.URL, "text/plain", strings.NewReader("hello"))
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, http.StatusOK, res.StatusCode)
}

// What was written early is sent, too, when the rest takes longer than an end of writes.
func TestWhatWasWrittenEarlyIsSentAtTheEnd(t *testing.T) {
	const still = 20 * time.Millisecond
	server := httptest.NewServer(paced(nil, still)(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		_, _ = io.WriteString(w, "hello")
		<-time.After(5 * still)
	})))
	defer server.Close()
	res, err := http.Get(server.URL)
	require.NoError(t, err)
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	assert.Equal(t, "hello", string(body))
}
