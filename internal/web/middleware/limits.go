package middleware

import "net/http"

// maxBody is the largest request that the screens and the API take, in bytes.
const maxBody = 1 << 20

// Limits bounds the size of requests; larger says what some paths take instead.
func Limits(larger map[string]int64) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			r.Body = http.MaxBytesReader(w, r.Body, max(maxBody, larger[r.URL.Path]))
			next.ServeHTTP(w, r)
		})
	}
}
