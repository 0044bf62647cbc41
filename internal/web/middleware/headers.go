package middleware

import "net/http"

// policy allows what we ship and nothing else: no inline script or style, no
// foreign host, no framing.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; " +
	"form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

// Headers sets the security headers of every answer: nothing is kept by caches unless it
// says so itself. Where it is served over TLS, browsers ask for nothing else for a year.
func Headers(secure bool) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			guard(w.Header(), secure)
			next.ServeHTTP(w, r)
		})
	}
}

func guard(h http.Header, secure bool) {
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Security-Policy", policy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	if secure {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
}
