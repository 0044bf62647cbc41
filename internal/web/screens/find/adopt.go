package find

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/ui"
)

type adoptView struct {
	SweepID  domain.ID
	Chosen   map[domain.ID]bool
	Count    int
	Offers   []find.Offer
	Total    kit.Cost
	Routers  []domain.Find
	PlaceID  domain.ID
	NewPlace string
	Tags     string
	Places   []domain.Place
	Errors   domain.FieldErrors
}

// offerView is a kit that fits some of the finds.
type offerView struct{ find.Offer }

// More says of which rows the cost is not known yet; empty for none.
func (v offerView) More() string {
	if len(v.Uncounted) == 0 {
		return ""
	}
	return "and what there is of " + strings.ToLower(text.List(v.Uncounted, "and"))
}

// Fitting are the kits that fit some of the finds.
func (v adoptView) Fitting() (out []offerView) {
	for _, o := range v.Offers {
		if o.Fits > 0 {
			out = append(out, offerView{o})
		}
	}
	return out
}

// Unfitting names the other kits; empty for none.
func (v adoptView) Unfitting() string {
	var titles []string
	for _, o := range v.Offers {
		if o.Fits == 0 {
			titles = append(titles, o.Kit.Title)
		}
	}
	if len(titles) == 0 {
		return ""
	}
	return "None of them has what these kits need: " + text.List(titles, "and") + "."
}

// PlaceOptions are the places that finds can be adopted into.
func (v adoptView) PlaceOptions() []ui.Option {
	return ui.PlaceOptions(v.Places, ui.Option{Value: "", Title: "choose a place"})
}

// GatewayOptions are the finds that the others can be reached through.
func (v adoptView) GatewayOptions() (out []ui.Option) {
	for _, f := range v.Routers {
		out = append(out, ui.Option{Value: fmt.Sprint(f.ID), Title: f.Name})
	}
	return append(out, ui.Option{Value: "0", Title: "as the place says"})
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
	if err := s.where(r, &a, chosen); err != nil {
		return a, nil, err
	}
	if a.Offers, err = s.Find.Offers(r.Context(), chosen, a.PlaceID); err != nil {
		return a, nil, err
	}
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
	return a, chosen, nil
}

// where reads into which place finds shall come: one that was chosen of those that may be,
// a new one, or else the likely one.
func (s Screen) where(r *http.Request, a *adoptView, chosen []domain.Find) (err error) {
	if a.Places, err = s.Places.Where(r.Context(), middleware.Who(r.Context()), domain.AreaFind, domain.AccessConfigure); err != nil {
		return err
	}
	a.NewPlace, a.Tags = r.Form.Get("new_place"), r.Form.Get("tags")
	id, _ := strconv.ParseInt(r.Form.Get("place"), 10, 64)
	switch {
	case slices.ContainsFunc(a.Places, func(p domain.Place) bool { return p.ID == id }):
		a.PlaceID = id
	case id == 0 && a.NewPlace == "":
		a.PlaceID = likely(chosen, a.Places)
	}
	return nil
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
	in := find.Adoption{PlaceID: a.PlaceID, NewPlace: a.NewPlace, Kits: r.Form["kit"], Tags: a.Tags}
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
