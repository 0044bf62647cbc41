package places

import (
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

type listView struct {
	Nodes []nodeView
	May   bool // places can be added somewhere
	// Problem is why a move was refused.
	Problem string
	Search  string
	InAll   int
	ui.Paging
}

// Show tells the template which of the pages it shows.
func (listView) Show() string { return "list" }

// Bar narrows the list.
func (v listView) Bar() ui.FilterBar {
	return ui.FilterBar{Path: listPath, Target: "tree", Search: v.Search, Placeholder: "Name", Label: "Filter places"}
}

type nodeView struct {
	places.Node
	May bool // may be changed
	// Inside is how many places right below it are folded away; Toggle shows or folds them.
	Inside int
	Open   bool
	Toggle string
}

// Indent is how far in it stands.
func (n nodeView) Indent() string { return fmt.Sprintf("indent-%d", min(n.Depth, deepest)) }

const (
	deepest = 8   // the depth from which on places stand no further in
	many    = 150 // places from which on only sites and what is open are shown
	perPage = 200
)

// listView is the tree as a query asks for it: all of it, or where that is too much its upper
// part with what was opened, or only what has a name like that.
func (s Screen) listView(r *http.Request, q url.Values) (v listView, err error) {
	who := middleware.Who(r.Context())
	nodes, err := s.Places.Tree(r.Context(), who)
	if err != nil {
		return v, err
	}
	v.Search, v.InAll = strings.TrimSpace(q.Get("q")), len(nodes)
	v.May = !who.Scope(domain.AreaRun, domain.AccessConfigure).None()
	var rows []nodeView
	switch {
	case v.Search != "":
		rows = named(nodes, v.Search)
	case len(nodes) > many:
		rows = folded(nodes, q)
	default:
		rows = all(nodes)
	}
	v.Nodes, v.Paging = ui.SlicePage(listPath, q, perPage, rows)
	for i, n := range v.Nodes {
		v.Nodes[i].May = who.May(domain.AreaRun, domain.AccessConfigure, domain.At(n.ID))
	}
	return v, nil
}

func all(nodes []places.Node) (out []nodeView) {
	for _, n := range nodes {
		out = append(out, nodeView{Node: n})
	}
	return out
}

func named(nodes []places.Node, search string) (out []nodeView) {
	for _, n := range nodes {
		if strings.Contains(strings.ToLower(n.Name), strings.ToLower(search)) {
			n.Depth = 0
			out = append(out, nodeView{Node: n})
		}
	}
	return out
}

// folded leaves out what lies below a site that is not open.
func folded(nodes []places.Node, q url.Values) (out []nodeView) {
	at := map[domain.ID]int{} // where those stand that are shown
	for _, n := range nodes {
		above, shown := at[n.ParentID]
		isOpen := func(id domain.ID) bool { return slices.Contains(q["open"], strconv.FormatInt(id, 10)) }
		if shown {
			out[above].Inside++
		}
		if n.Depth > 1 && (!shown || !isOpen(n.ParentID)) {
			continue
		}
		at[n.ID] = len(out)
		out = append(out, nodeView{Node: n, Open: isOpen(n.ID), Toggle: toggled(q, n.ID)})
	}
	for i := range out {
		if out[i].Depth == 0 {
			out[i].Toggle = "" // what lies right below an organisation is always shown
		}
	}
	return out
}

// toggled is the list with a place opened, or closed again.
func toggled(q url.Values, id domain.ID) string {
	q = maps.Clone(q)
	one := strconv.FormatInt(id, 10)
	if i := slices.Index(q["open"], one); i >= 0 {
		q["open"] = slices.Delete(slices.Clone(q["open"]), i, i+1)
	} else {
		q["open"] = append(slices.Clone(q["open"]), one)
	}
	return listPath + "?" + q.Encode()
}

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	v, err := s.listView(r, r.URL.Query())
	if err != nil {
		return err
	}
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "places", "tree", v)
	}
	return s.Render.Page(w, r, "places", render.Frame{Title: "Places", Area: domain.AreaRun, Tab: listPath, Body: v})
}

// moved is the list as it was asked for before a place was moved, with where that lies now
// open.
func (s Screen) moved(r *http.Request, to domain.ID) (listView, error) {
	before, err := url.Parse(r.Header.Get("HX-Current-URL"))
	if err != nil {
		before = &url.URL{}
	}
	q := before.Query()
	if one := strconv.FormatInt(to, 10); !slices.Contains(q["open"], one) {
		q.Add("open", one)
	}
	return s.listView(r, q)
}
