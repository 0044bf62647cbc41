// Package find is sweeps and what they found.
package find

import (
	"cmp"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"net/http"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is finding.
type Screen struct {
	Render *render.Renderer
	Find   *find.Service
	Places *places.Service
	// Port is what a new sweep asks by default.
	Port int
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const area, configure = domain.AreaFind, domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"find": files},
		Menu:      []render.Entry{{Title: "Sweeps", Path: listPath, Area: area}},
		Found:     []render.Entry{{Title: "New sweep", Path: newPath, Area: area, Needs: configure}},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.list),
			screen.Get("/find/sweeps/{id}", area, s.sweep),
			screen.Get("/find/sweeps/{id}/offers", area, s.offers),
			{Method: http.MethodGet, Path: newPath, Area: area, Needs: configure, Handle: s.form},
			screen.Post(newPath, area, configure, s.create),
			screen.Post("/find/size", area, configure, s.size),
			screen.Post("/find/sweeps/{id}/start", area, configure, s.start),
			screen.Post("/find/sweeps/{id}/stop", area, configure, s.stop),
			screen.Post("/find/sweeps/{id}/delete", area, configure, s.remove),
			screen.Post("/find/sweeps/{id}/adopt", area, configure, s.adopt),
			screen.Post("/find/sweeps/{id}/ignore", area, configure, s.ignore),
			screen.Post("/find/sweeps/{id}/take-over/{find}", area, configure, s.takeOver),
		},
	}
}

const (
	listPath = "/find"
	newPath  = "/find/new"
)

// highest is the highest level that an actor has anywhere.
func highest(who access.Actor) (best domain.Access) {
	for _, level := range domain.AllAccess() {
		if !who.Scope(domain.AreaFind, level).None() {
			best = level
		}
	}
	return best
}

// View says which of the pages a template shows.
type page struct{ Show string }

type listView struct {
	page
	Sweeps []domain.Sweep
	May    domain.Access
}

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	sweeps, err := s.Find.Sweeps(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return err
	}
	v := listView{page{"list"}, sweeps, highest(middleware.Who(r.Context()))}
	return s.Render.Page(w, r, "find", render.Frame{Title: "Find", Area: domain.AreaFind, Tab: listPath, Body: v})
}

type formView struct {
	page
	Draft       find.Draft
	Port, Pace  string
	Credentials []domain.Credential
	Chosen      map[domain.ID]bool
	Places      []domain.Place
	Whole       bool // the whole tree may be chosen, too
	Errors      domain.FieldErrors
	Size        string
}

func (s Screen) form(w http.ResponseWriter, r *http.Request) error {
	v := formView{page: page{"form"}, Chosen: map[domain.ID]bool{}, Errors: domain.FieldErrors{}, Port: strconv.Itoa(s.Port)}
	var err error
	if v.Credentials, err = s.Find.Credentials(r.Context(), middleware.Who(r.Context())); err != nil {
		return err
	}
	if err := s.offerPlaces(r, &v); err != nil {
		return err
	}
	if len(v.Credentials) == 1 {
		v.Chosen[v.Credentials[0].ID] = true
	}
	return s.Render.Page(w, r, "find", render.Frame{Title: "New sweep", Area: domain.AreaFind, Body: v})
}

// typed is the form of a sweep. Numbers stay as they were typed, to be shown again.
type typed struct {
	PlaceID     domain.ID   `form:"place"`
	Name        string      `form:"name"`
	Ranges      string      `form:"ranges"`
	Exclude     string      `form:"exclude"`
	Port        string      `form:"port"`
	Pace        string      `form:"pace"`
	Credentials []domain.ID `form:"credential"`
	Community   string      `form:"community"`
	NewName     string      `form:"community_name"`
}

// read takes the form as it was typed; numbers that are none become field errors.
func (s Screen) read(r *http.Request) (formView, error) {
	v := formView{page: page{"form"}, Chosen: map[domain.ID]bool{}, Errors: domain.FieldErrors{}}
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return v, err
	}
	v.Port, v.Pace = in.Port, in.Pace
	v.Draft = find.Draft{
		PlaceID:       in.PlaceID,
		Name:          in.Name,
		Ranges:        in.Ranges,
		Exclude:       in.Exclude,
		CredentialIDs: in.Credentials,
		Community:     domain.Secret(in.Community),
		NewName:       in.NewName,
	}
	v.Draft.Port, _ = strconv.Atoi(v.Port) // 0 is refused by the check
	if v.Pace != "" {
		n, err := strconv.Atoi(v.Pace)
		if err != nil || n <= 0 {
			n = -1 // refused by the check, with the range that is allowed
		}
		v.Draft.Pace = n
	}
	for _, id := range in.Credentials {
		v.Chosen[id] = true
	}
	var err error
	if v.Credentials, err = s.Find.Credentials(r.Context(), middleware.Who(r.Context())); err != nil {
		return v, err
	}
	return v, s.offerPlaces(r, &v)
}

// offerPlaces offers the parts of the tree that a sweep may be for.
func (s Screen) offerPlaces(r *http.Request, v *formView) (err error) {
	who := middleware.Who(r.Context())
	v.Whole = who.May(domain.AreaFind, domain.AccessConfigure, 0)
	v.Places, err = s.Places.Where(r.Context(), who, domain.AreaFind, domain.AccessConfigure)
	return err
}

// size tells, while the form is filled, how many addresses that would be.
func (s Screen) size(w http.ResponseWriter, r *http.Request) error {
	v, err := s.read(r)
	if err != nil {
		return err
	}
	total, errs := v.Draft.Check()
	if errs["ranges"] != "" || errs["exclude"] != "" {
		if strings.TrimSpace(v.Draft.Ranges) != "" {
			v.Size = errs["ranges"] + errs["exclude"]
		}
	} else {
		pace := max(1, v.Draft.Pace)
		v.Size = fmt.Sprintf("Tries %s, at most %d requests a second: about %s.", text.Count(total, "address", "addresses"), pace,
			units.Span(time.Duration(total*2)*time.Second/time.Duration(pace)+3*time.Second))
	}
	return s.Render.Fragment(w, http.StatusOK, "find", "size", v.Size)
}

func (s Screen) create(w http.ResponseWriter, r *http.Request) error {
	v, err := s.read(r)
	if err != nil {
		return err
	}
	made, err := s.Find.Create(r.Context(), middleware.Who(r.Context()), v.Draft)
	if errors.As(err, &v.Errors) {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "find", "form", v)
	}
	if err != nil {
		return err
	}
	if err := s.Find.Start(r.Context(), middleware.Who(r.Context()), made.ID); err != nil {
		return err
	}
	w.Header().Set("HX-Redirect", "/find/sweeps/"+strconv.FormatInt(made.ID, 10))
	return nil
}

func sweepID(r *http.Request) domain.ID {
	id, _ := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	return id
}

func (s Screen) start(w http.ResponseWriter, r *http.Request) error {
	if err := s.Find.Start(r.Context(), middleware.Who(r.Context()), sweepID(r)); err != nil {
		return err
	}
	return s.back(w, r)
}

func (s Screen) stop(w http.ResponseWriter, r *http.Request) error {
	if err := s.Find.Stop(r.Context(), middleware.Who(r.Context()), sweepID(r)); err != nil {
		return err
	}
	return s.back(w, r)
}

func (s Screen) back(w http.ResponseWriter, r *http.Request) error {
	http.Redirect(w, r, "/find/sweeps/"+strconv.FormatInt(sweepID(r), 10), http.StatusSeeOther)
	return nil
}

func (s Screen) remove(w http.ResponseWriter, r *http.Request) error {
	if err := s.Find.Delete(r.Context(), middleware.Who(r.Context()), sweepID(r)); err != nil {
		return err
	}
	http.Redirect(w, r, "/find", http.StatusSeeOther)
	return nil
}

type sweepView struct {
	page
	Sweep domain.Sweep
	Left  int64
	Finds []domain.Find
	// Sightings are what answered otherwise, the first of them.
	Sightings []domain.Sighting
	Sighted   int
	May       domain.Access
	Q         string
	ui.Sorting
	ui.Paging
}

// Running tells whether the sweep goes on; finds are chosen when it has ended.
func (v sweepView) Running() bool { return v.Sweep.State == domain.SweepRunning }

type adoptView struct {
	SweepID  domain.ID
	Chosen   map[domain.ID]bool
	Count    int
	Offers   []find.Offer
	Total    kit.Cost
	Routers  []domain.Find
	PlaceID  domain.ID
	NewPlace string
	Places   []domain.Place
	Errors   domain.FieldErrors
}

func (s Screen) view(r *http.Request) (sweepView, error) {
	ctx := r.Context()
	v := sweepView{page: page{"sweep"}, Q: strings.ToLower(r.URL.Query().Get("q"))}
	var err error
	if v.Sweep, err = s.Find.Sweep(ctx, middleware.Who(ctx), sweepID(r)); err != nil {
		return v, err
	}
	v.May = middleware.Who(ctx).Level(domain.AreaFind, v.Sweep.PlaceID)
	v.Left = max(0, v.Sweep.Total-v.Sweep.Tried)
	if v.Finds, err = s.Find.Finds(ctx, middleware.Who(ctx), v.Sweep.ID); err != nil {
		return v, err
	}
	if v.Sightings, err = s.Find.Sightings(ctx, middleware.Who(ctx), v.Sweep.ID); err != nil {
		return v, err
	}
	v.Sighted = len(v.Sightings)
	v.Sightings = v.Sightings[:min(v.Sighted, shownSightings)]
	if v.Q != "" {
		v.Finds = slices.DeleteFunc(v.Finds, func(f domain.Find) bool {
			return !strings.Contains(strings.ToLower(f.Name+" "+f.Address+" "+f.Vendor+" "+f.Model+" "+f.Kind+" "+f.Location), v.Q)
		})
	}
	q, path := r.URL.Query(), fmt.Sprintf("/find/sweeps/%d", v.Sweep.ID)
	v.Sorting = ui.Sorting{Path: path, Query: q, Sort: q.Get("sort")}
	sortFinds(v.Finds, v.Sort)
	v.Finds, v.Paging = ui.SlicePage(path, q, pageSize, v.Finds)
	return v, nil
}

const pageSize = 250

// shownSightings is how many are listed; the API has all.
const shownSightings = 500

// order puts what waits for a decision first.
var order = map[domain.Verdict]int{
	domain.FindMoved:   0,
	domain.FindNew:     1,
	domain.FindAdopted: 2,
	domain.FindKnown:   3,
	domain.FindIgnored: 4,
}

// byAddress compares as numbers: 192.0.2.9 comes before 192.0.2.10.
func byAddress(a, b string) int {
	x, _ := netip.ParseAddr(a)
	y, _ := netip.ParseAddr(b)
	return x.Compare(y)
}

// partsOf is how many parts a find has in all.
func partsOf(f domain.Find) (n int) {
	for _, count := range f.Parts {
		n += count
	}
	return n
}

// Inside says what a find has inside, the most first: 48 interfaces, 2 volumes.
func (v sweepView) Inside(f domain.Find) string {
	kinds := slices.SortedFunc(maps.Keys(f.Parts), func(a, b string) int { return cmp.Or(f.Parts[b]-f.Parts[a], cmp.Compare(a, b)) })
	var out []string
	for _, k := range kinds {
		out = append(out, text.Count(int64(f.Parts[k]), k))
	}
	return strings.Join(out, ", ")
}

// sortFinds sorts by a column, downwards with a leading "-"; without one by
// what waits for a decision. Equal ones are in the order of addresses.
func sortFinds(finds []domain.Find, column string) {
	column, down := strings.CutPrefix(column, "-")
	slices.SortStableFunc(finds, func(a, b domain.Find) int {
		c := order[a.Verdict] - order[b.Verdict]
		switch column {
		case "name":
			c = strings.Compare(strings.ToLower(a.Name), strings.ToLower(b.Name))
		case "address":
			c = byAddress(a.Address, b.Address)
		case "kind":
			c = strings.Compare(a.Kind, b.Kind)
		case "model":
			c = strings.Compare(a.Vendor+a.Model, b.Vendor+b.Model)
		case "parts":
			c = partsOf(a) - partsOf(b)
		case "location":
			c = strings.Compare(a.Location, b.Location)
		}
		if down {
			c = -c
		}
		return cmp.Or(c, byAddress(a.Address, b.Address))
	})
}

func (s Screen) sweep(w http.ResponseWriter, r *http.Request) error {
	v, err := s.view(r)
	if err != nil {
		return err
	}
	switch {
	case render.IsFragment(r) && r.URL.Query().Get("part") == "progress":
		return s.Render.Fragment(w, http.StatusOK, "find", "progress", v)
	case render.IsFragment(r):
		return s.Render.Fragment(w, http.StatusOK, "find", "finds", v)
	}
	return s.Render.Page(w, r, "find", render.Frame{Title: v.Sweep.Name, Area: domain.AreaFind, Body: v})
}

// selection reads which finds are ticked.
func (s Screen) selection(r *http.Request) (adoptView, []domain.Find, error) {
	a := adoptView{SweepID: sweepID(r), Chosen: map[domain.ID]bool{}, Errors: domain.FieldErrors{}}
	if err := r.ParseForm(); err != nil {
		return a, nil, err
	}
	all, err := s.Find.Finds(r.Context(), middleware.Who(r.Context()), a.SweepID)
	if err != nil {
		return a, nil, err
	}
	for _, text := range r.Form["find"] {
		if id, err := strconv.ParseInt(text, 10, 64); err == nil {
			a.Chosen[id] = true
		}
	}
	chosen := slices.DeleteFunc(all, func(f domain.Find) bool { return !a.Chosen[f.ID] })
	a.Count = len(chosen)
	a.Offers = s.Find.Offers(r.Context(), chosen)
	a.PlaceID, _ = strconv.ParseInt(r.Form.Get("place"), 10, 64)
	a.NewPlace = r.Form.Get("new_place")
	asked := r.Form.Get("asked") == "1"
	for i := range a.Offers {
		a.Offers[i].Chose = a.Offers[i].Fits > 0 && (!asked || slices.Contains(r.Form["kit"], a.Offers[i].Name))
		if a.Offers[i].Chose {
			a.Total = a.Total.Add(a.Offers[i].Cost)
		}
	}
	for _, f := range chosen {
		if f.Kind == "router" || f.Kind == "firewall" || f.Kind == "gateway" {
			a.Routers = append(a.Routers, f)
		}
	}
	a.Places, err = s.Places.Where(r.Context(), middleware.Who(r.Context()), domain.AreaFind, domain.AccessConfigure)
	if a.PlaceID == 0 && a.NewPlace == "" {
		a.PlaceID = likely(chosen, a.Places)
	}
	return a, chosen, err
}

// likely proposes the place that the finds name as their location.
func likely(finds []domain.Find, places []domain.Place) domain.ID {
	for _, f := range finds {
		for _, p := range places {
			if f.Location != "" && strings.EqualFold(p.Name, f.Location) {
				return p.ID
			}
		}
	}
	return 0
}

func (s Screen) offers(w http.ResponseWriter, r *http.Request) error {
	a, _, err := s.selection(r)
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "find", "adopt", a)
}

func (s Screen) adopt(w http.ResponseWriter, r *http.Request) error {
	a, chosen, err := s.selection(r)
	if err != nil {
		return err
	}
	in := find.Adoption{PlaceID: a.PlaceID, NewPlace: a.NewPlace, Kits: r.Form["kit"]}
	for _, f := range chosen {
		in.FindIDs = append(in.FindIDs, f.ID)
	}
	in.GatewayFind, _ = strconv.ParseInt(r.Form.Get("gateway"), 10, 64)
	made, err := s.Find.Adopt(r.Context(), middleware.Who(r.Context()), a.SweepID, in)
	if errors.As(err, &a.Errors) {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "find", "adopt", a)
	}
	if err != nil {
		return err
	}
	to := "/find/sweeps/" + strconv.FormatInt(a.SweepID, 10)
	if len(made) == 1 {
		to = "/devices/" + strconv.FormatInt(made[0].ID, 10) // take people to what they just made
	}
	w.Header().Set("HX-Redirect", to)
	return nil
}

// takeOver lets a known device be asked as it was found.
func (s Screen) takeOver(w http.ResponseWriter, r *http.Request) error {
	id, err := strconv.ParseInt(chi.URLParam(r, "find"), 10, 64)
	if err != nil {
		return domain.ErrNotFound
	}
	if err := s.Find.TakeOver(r.Context(), middleware.Who(r.Context()), sweepID(r), []domain.ID{id}); err != nil {
		return err
	}
	v, err := s.view(r)
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "find", "finds", v)
}

func (s Screen) ignore(w http.ResponseWriter, r *http.Request) error {
	_, chosen, err := s.selection(r)
	if err != nil {
		return err
	}
	var ids []domain.ID
	for _, f := range chosen {
		ids = append(ids, f.ID)
	}
	if err := s.Find.Ignore(r.Context(), middleware.Who(r.Context()), sweepID(r), ids, r.Form.Get("back") == ""); err != nil {
		return err
	}
	w.Header().Set("HX-Redirect", "/find/sweeps/"+strconv.FormatInt(sweepID(r), 10))
	return nil
}
