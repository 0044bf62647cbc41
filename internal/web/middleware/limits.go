package middleware

import "net/http"

// maxBody is the largest request that the screens and the API take, in bytes.
const maxBody = 1 << 20

// Limits bounds the size of requests; others says what some paths take instead.
func Limits(others map[string]int64) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			most, ok := others[r.URL.Path]
			if !ok {
				most = maxBody
			}
			r.Body = http.MaxBytesReader(w, r.Body, most)
			next.ServeHTTP(w, r)
		})
	}
}
