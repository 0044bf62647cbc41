package middleware

import "net/http"

// maxBody is the largest request that the screens and the API take, in bytes.
const maxBody = 1 << 20

// Limits bounds the size of requests.
func Limits(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Body = http.MaxBytesReader(w, r.Body, maxBody)
		next.ServeHTTP(w, r)
	})
}
