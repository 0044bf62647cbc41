package sim

import (
	"crypto/subtle"
	"fmt"
	"html"
	"net/http"
	"time"
)

// SignIn is who may sign in at services of the estate.
type SignIn struct{ User, Password string }

func (a SignIn) is(user, password string) bool {
	return subtle.ConstantTimeCompare([]byte(a.User), []byte(user))&subtle.ConstantTimeCompare([]byte(a.Password), []byte(password)) == 1
}

// portalModes are how the portal of kiosks can fail while its port answers.
var portalModes = []Mode{
	{"nobody", "nobody can sign in, whatever the password"},
	{"error", "signing in ends in a server error"},
	{"broken up", "the page after signing in has its greeting broken up by markup"},
	{"script", "a script makes the form"},
	{"token", "the hidden token is never taken"},
	{"loop", "it redirects round and round"},
	{"away", "it redirects to an address that nobody may talk to"},
	{"slow", "signing in takes eight seconds"},
}

// portal is where clerks sign in at a kiosk: a page with several forms, of which none has a name, a hidden token, a cookie
// that must come back, and redirects on the way in.
func portal(who SignIn) func(mode string) http.Handler {
	return func(mode string) http.Handler {
		mux := http.NewServeMux()
		mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, r *http.Request) {
			switch mode {
			case "loop":
				http.Redirect(w, r, "/", http.StatusFound)
			case "away":
				http.Redirect(w, r, "http://169.254.10.10/", http.StatusFound)
			default:
				http.Redirect(w, r, "/desk/sign-in", http.StatusFound)
			}
		})
		mux.HandleFunc("GET /desk/sign-in", func(w http.ResponseWriter, _ *http.Request) {
			http.SetCookie(w, &http.Cookie{Name: "visit", Value: "quay-7", Path: "/desk", HttpOnly: true, SameSite: http.SameSiteLaxMode})
			if mode == "script" {
				fmt.Fprint(w, "<h1>Ticket desk</h1><div id=root></div><script>document.title='Ticket desk'</script>")
				return
			}
			portalForm(w, "")
		})
		mux.HandleFunc("POST /desk/sign-in", func(w http.ResponseWriter, r *http.Request) {
			cookie, err := r.Cookie("visit")
			known := err == nil && cookie.Value == "quay-7" && r.PostFormValue("t") == portalToken
			switch {
			case !known || mode == "token":
				w.WriteHeader(http.StatusForbidden)
				fmt.Fprint(w, "<h1>Your visit has ended</h1>")
			case mode == "error":
				w.WriteHeader(http.StatusInternalServerError)
				fmt.Fprint(w, "<h1>Something went wrong</h1>")
			case mode == "nobody" || !who.is(r.PostFormValue("f1"), r.PostFormValue("f2")):
				portalForm(w, "User or password is wrong.")
			default:
				if mode == "slow" {
					time.Sleep(8 * time.Second)
				}
				http.SetCookie(w, &http.Cookie{Name: "in", Value: "yes", Path: "/desk", HttpOnly: true, SameSite: http.SameSiteLaxMode})
				http.Redirect(w, r, "/desk", http.StatusSeeOther)
			}
		})
		mux.HandleFunc("GET /desk", func(w http.ResponseWriter, r *http.Request) {
			if in, err := r.Cookie("in"); err != nil || in.Value != "yes" {
				http.Redirect(w, r, "/desk/sign-in", http.StatusFound)
				return
			}
			greeting := "Welcome aboard"
			if mode == "broken up" {
				greeting = "Welcome <em>aboard</em>"
			}
			fmt.Fprintf(w, "<!doctype html><title>Ticket desk</title><h1>%s</h1><p>Sailings today: 14</p>", greeting)
		})
		return mux
	}
}

const portalToken = `q"7<quay>`

func portalForm(w http.ResponseWriter, says string) {
	fmt.Fprintf(w, `<!doctype html><title>Ticket desk</title><h1>Ticket desk</h1><p>%s</p>
<form action="/find"><input name="q"><button>Find a sailing</button></form>
<table><form method="post" action="/desk/sign-in"><input type="hidden" name="t" value="%s">
<tr><td>Clerk<td><input name="f1"><tr><td>Password<td><input type="password" name="f2">
<tr><td><td><input type="submit" value="Sign in"></form></table>
<form method="post" action="/desk/letters"><input type="email" name="mail"><button>Send me the timetable</button></form>`,
		html.EscapeString(says), html.EscapeString(portalToken))
}
