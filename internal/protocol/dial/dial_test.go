package dial

import (
	"errors"
	"net"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/ranges"
)

// A name that stands for this machine opens it no more than its address does.
func TestNamesAreLookedThrough(t *testing.T) {
	asked := 0
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		http.Redirect(w, r, "http://169.254.169.254/secrets", http.StatusFound)
	}))
	defer web.Close()
	_, port, err := net.SplitHostPort(web.Listener.Addr().String())
	require.NoError(t, err)
	guarded := Client(Through(guard.Guard{}), time.Second)
	for _, host := range []string{"127.0.0.1", "localhost", "[::ffff:127.0.0.1]"} {
		_, err := guarded.Get("http://" + host + ":" + port)
		var refused *Refused
		assert.True(t, errors.As(err, &refused), "%s: %v", host, err)
		assert.ErrorContains(t, err, "OWL_ALLOW_ADDRESSES")
	}
	assert.Zero(t, asked)
	here, err := ranges.Read("127.0.0.0/8")
	require.NoError(t, err)
	res, err := Client(Through(guard.New(here, ranges.Set{})), time.Second).Get(web.URL)
	require.NoError(t, err)
	defer res.Body.Close()
	assert.Equal(t, http.StatusFound, res.StatusCode, "it is not followed")
	assert.Equal(t, 1, asked)
}
