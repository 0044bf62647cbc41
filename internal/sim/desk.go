package sim

import (
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
)

// Ticket is a record at the desk.
type Ticket struct {
	Number    string    `json:"number"`
	Kind      string    `json:"kind"`
	Title     string    `json:"title"`
	Body      string    `json:"body"`
	Link      string    `json:"link"`
	Label     string    `json:"label"`
	Reference string    `json:"reference"`
	State     string    `json:"state"`
	URL       string    `json:"url"`
	Created   time.Time `json:"created"`
	Notes     []Note    `json:"notes"`
}

// Note is an entry on a ticket.
type Note struct {
	Key  string    `json:"key,omitempty"`
	Text string    `json:"text"`
	At   time.Time `json:"at"`
}

//go:embed pages/*.html
var pageFiles embed.FS

var pages = template.Must(template.ParseFS(pageFiles, "pages/*.html"))

// desk is a small ticket system: a REST API with a page for each ticket.
type desk struct {
	mu      sync.Mutex
	tickets []*Ticket
	file    string
	token   string
	base    string // URL of the desk
	faults  *faults
}

func newDesk(file, token, base string, f *faults) *desk {
	d := &desk{file: file, token: token, base: base, faults: f}
	if data, err := os.ReadFile(file); err == nil {
		_ = json.Unmarshal(data, &d.tickets)
	}
	return d
}

func (d *desk) handler() http.Handler {
	r := chi.NewRouter()
	r.Get("/", d.list)
	r.Get("/tickets/{number}", d.page)
	r.Route("/api/tickets", func(r chi.Router) {
		r.Use(d.spoilt, d.authorised)
		r.Get("/", d.search)
		r.Post("/", d.create)
		r.Get("/{number}", d.get)
		r.Post("/{number}/notes", d.note)
		r.Patch("/{number}", d.patch)
	})
	return r
}

// spoilt lets a drill make the desk fail in the ways that desks fail.
func (d *desk) spoilt(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case d.faults.has(FaultDeskRefuses):
			problem(w, http.StatusInternalServerError, "the desk has lost its database")
		case d.faults.has(FaultDeskHangs):
			<-r.Context().Done()
		case d.faults.has(FaultDeskNonsense):
			fmt.Fprint(w, "<html>Welcome to the intranet portal</html>")
		case d.faults.has(FaultDeskLies) && r.Method != http.MethodGet:
			next.ServeHTTP(httptest.NewRecorder(), r)
			problem(w, http.StatusInternalServerError, "the desk did it and does not know it")
		default:
			next.ServeHTTP(w, r)
		}
	})
}

func (d *desk) authorised(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != "Bearer "+d.token {
			problem(w, http.StatusUnauthorized, "the token is not known")
			return
		}
		next.ServeHTTP(w, r)
	})
}

func (d *desk) search(w http.ResponseWriter, r *http.Request) {
	d.mu.Lock()
	defer d.mu.Unlock()
	found := []*Ticket{}
	for _, t := range d.tickets {
		if ref := r.URL.Query().Get("reference"); ref == "" || t.Reference == ref {
			found = append(found, t)
		}
	}
	writeJSON(w, http.StatusOK, found)
}

// create opens a ticket, once for each reference: a repeated request gets the
// ticket that exists.
func (d *desk) create(w http.ResponseWriter, r *http.Request) {
	var in Ticket
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<20)).Decode(&in); err != nil || in.Title == "" {
		problem(w, http.StatusUnprocessableEntity, "a ticket needs a title")
		return
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if i := slices.IndexFunc(d.tickets, func(t *Ticket) bool { return in.Reference != "" && t.Reference == in.Reference }); i >= 0 {
		writeJSON(w, http.StatusOK, d.tickets[i])
		return
	}
	in.Number = fmt.Sprintf("KL-%d", 1041+len(d.tickets))
	in.State, in.Created, in.URL = "new", time.Now().UTC(), d.base+"/tickets/"+in.Number
	in.Notes = nil
	d.tickets = append(d.tickets, &in)
	d.save()
	writeJSON(w, http.StatusCreated, in)
}

func (d *desk) byNumber(r *http.Request) *Ticket {
	for _, t := range d.tickets {
		if t.Number == chi.URLParam(r, "number") {
			return t
		}
	}
	return nil
}

func (d *desk) get(w http.ResponseWriter, r *http.Request) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if t := d.byNumber(r); t != nil {
		writeJSON(w, http.StatusOK, t)
		return
	}
	problem(w, http.StatusNotFound, "there is no such ticket")
}

func (d *desk) note(w http.ResponseWriter, r *http.Request) {
	var in Note
	err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<20)).Decode(&in)
	d.mu.Lock()
	defer d.mu.Unlock()
	t := d.byNumber(r)
	if err != nil || t == nil || in.Text == "" {
		problem(w, http.StatusUnprocessableEntity, "a note needs a ticket and a text")
		return
	}
	in.Key, in.At = r.Header.Get("Idempotency-Key"), time.Now().UTC()
	if in.Key == "" || !slices.ContainsFunc(t.Notes, func(n Note) bool { return n.Key == in.Key }) {
		t.Notes = append(t.Notes, in)
		d.save()
	}
	writeJSON(w, http.StatusCreated, t)
}

func (d *desk) patch(w http.ResponseWriter, r *http.Request) {
	var in struct{ State string }
	err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<16)).Decode(&in)
	d.mu.Lock()
	defer d.mu.Unlock()
	t := d.byNumber(r)
	if err != nil || t == nil || in.State == "" {
		problem(w, http.StatusUnprocessableEntity, "a state is needed")
		return
	}
	t.State = in.State
	d.save()
	writeJSON(w, http.StatusOK, t)
}

func (d *desk) list(w http.ResponseWriter, _ *http.Request) {
	d.mu.Lock()
	defer d.mu.Unlock()
	newest := slices.Clone(d.tickets)
	slices.Reverse(newest)
	_ = pages.ExecuteTemplate(w, "desk.html", newest)
}

func (d *desk) page(w http.ResponseWriter, r *http.Request) {
	d.mu.Lock()
	defer d.mu.Unlock()
	t := d.byNumber(r)
	if t == nil {
		http.NotFound(w, r)
		return
	}
	safe := *t
	if !strings.HasPrefix(safe.Link, "http://") && !strings.HasPrefix(safe.Link, "https://") {
		safe.Link = ""
	}
	_ = pages.ExecuteTemplate(w, "ticket.html", safe)
}

// save writes all tickets; the caller holds the lock.
func (d *desk) save() {
	data, err := json.MarshalIndent(d.tickets, "", " ")
	if err != nil || d.file == "" {
		return
	}
	tmp := filepath.Join(filepath.Dir(d.file), ".tickets.tmp")
	if os.WriteFile(tmp, data, 0o600) == nil {
		_ = os.Rename(tmp, d.file)
	}
}
