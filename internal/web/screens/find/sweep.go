package find

import (
	"cmp"
	"fmt"
	"maps"
	"net/http"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

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
	Spared    find.Spared
	Silent    find.Silent
	May       domain.Access
	Q         string
	ui.Sorting
	ui.Paging
}

// Running tells whether the sweep goes on; finds are chosen when it has ended.
func (v sweepView) Running() bool { return v.Sweep.State == domain.SweepRunning }

func (s Screen) view(r *http.Request) (sweepView, error) {
	ctx := r.Context()
	v := sweepView{page: page{"sweep"}, Q: strings.ToLower(r.URL.Query().Get("q"))}
	var err error
	if v.Sweep, err = s.Find.Sweep(ctx, middleware.Who(ctx), sweepID(r)); err != nil {
		return v, err
	}
	v.May = middleware.Who(ctx).Level(domain.AreaFind, domain.At(v.Sweep.PlaceID))
	if v.Spared, err = s.Find.Spared(ctx, middleware.Who(ctx), v.Sweep.ID); err != nil {
		return v, err
	}
	if v.Silent, err = s.Find.Silent(ctx, middleware.Who(ctx), v.Sweep.ID); err != nil {
		return v, err
	}
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
