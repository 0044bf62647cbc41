package sim

import (
	"fmt"
	"net/http"
	"time"
)

// webModes are how the booking page can fail, or lie.
var webModes = []Mode{
	{"slow", "each page takes six seconds"},
	{"lies", "it says 200 OK, and shows a page of its cache server instead"},
	{"error", "it answers 503"},
	{"loop", "it redirects round and round"},
	{"away", "it redirects to an address that nobody may talk to"},
	{"broken up", "the expected text is broken up by markup"},
	{"endless", "its page never ends"},
	{"nonsense", "what it answers is no HTTP"},
	{"hangs up", "it breaks off in the midst of an answer"},
}

// bookingPage is the page on which people book, with a redirect on the way, and its health as JSON.
func bookingPage(mode string) http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /health", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprintf(w, `{"state":"%s","queue":{"waiting":%d},"sailings":14}`, map[bool]string{true: "sick", false: "well"}[mode != ""],
			3+time.Now().Second()%5)
	})
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, r *http.Request) {
		switch mode {
		case "loop":
			http.Redirect(w, r, "/", http.StatusFound)
		case "away":
			http.Redirect(w, r, "http://169.254.10.10/", http.StatusFound)
		default:
			http.Redirect(w, r, "/book", http.StatusMovedPermanently)
		}
	})
	mux.HandleFunc("GET /book", func(w http.ResponseWriter, _ *http.Request) { book(w, mode) })
	return mux
}

func book(w http.ResponseWriter, mode string) {
	const page = "<!doctype html><title>Kittiwake Line</title><h1>%s</h1><p>14 sailings today</p>"
	switch mode {
	case "slow":
		time.Sleep(6 * time.Second)
	case "error":
		w.WriteHeader(http.StatusServiceUnavailable)
		return
	case "lies":
		fmt.Fprint(w, "<!doctype html><h1>It works</h1>")
		return
	case "broken up":
		fmt.Fprintf(w, page, "Book your\n  <b>crossing</b>")
		return
	case "endless":
		for range 100_000 {
			if _, err := fmt.Fprint(w, "<p>and so on</p>\n"); err != nil {
				return
			}
			time.Sleep(time.Millisecond)
		}
	case "nonsense", "hangs up":
		hijack(w, mode)
		return
	}
	fmt.Fprintf(w, page, "Book your crossing")
}

// hijack answers below HTTP.
func hijack(w http.ResponseWriter, mode string) {
	c, _, err := http.NewResponseController(w).Hijack()
	if err != nil {
		return
	}
	defer c.Close()
	if mode == "nonsense" {
		_, _ = c.Write([]byte("\x16\x00\x00ahoy\r\n\r\n"))
		return
	}
	_, _ = c.Write([]byte("HTTP/1.1 200 OK\r\nContent-Length: 5000\r\n\r\n<h1>Book your"))
}
