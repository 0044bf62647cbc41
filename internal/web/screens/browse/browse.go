// Package browse is the pages on which one looks at what a device tells of itself, and picks what
// is to be collected.
package browse

import (
	"embed"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"strconv"

	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/browse"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

//go:embed pick/tmpl/*.html
var pickFiles embed.FS

//go:embed move/tmpl/*.html
var moveFiles embed.FS

// Screen is the pages.
type Screen struct {
	Render  *render.Renderer
	Browse  *browse.Service
	Kits    *collect.Service
	Devices *devices.Service
}

const area = domain.AreaCollect

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const operate, configure = domain.AccessOperate, domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"browse": files, "pick": ui.Folder(pickFiles, "pick"), "move": ui.Folder(moveFiles, "move")},
		Routes: []screen.Route{
			screen.Get("/devices/{id}/browse", area, s.page),
			screen.Get("/devices/{id}/browse/search", area, s.search),
			screen.Post("/devices/{id}/browse/walk", area, operate, s.walk),
			{Method: http.MethodGet, Path: "/devices/{id}/pick", Area: area, Needs: configure, Handle: s.blank},
			screen.Post("/devices/{id}/pick", area, configure, s.pick),
			screen.Post("/devices/{id}/pick/rehearse", area, configure, s.rehearse),
			screen.Post("/devices/{id}/pick/drop", area, configure, s.drop),
			{Method: http.MethodGet, Path: "/devices/{id}/pick/move", Area: area, Needs: configure, Handle: s.moveForm},
			screen.Post("/devices/{id}/pick/move", area, configure, s.move),
			screen.Post("/devices/{id}/pick/move/rehearsal", area, configure, s.rehearseMove),
		},
	}
}

// start is where a device is looked at first: what standards describe.
var start = mib.OID{1, 3, 6, 1, 2, 1}

// pageView is an object with what is around it, at a device.
type pageView struct {
	ID     domain.ID
	Device string
	browse.Node
	Own  []ownView
	Mark string
	May  domain.Access
	// Wrong says that what was asked for is no identifier.
	Wrong string
}

// ownView is a reading that was picked at the device.
type ownView struct {
	Device domain.ID
	own.Reading
	Every string
	Rules int // that judge it
	// Judgeable tells whether a rule can be made on it here.
	Judgeable bool
}

// URL is where it is changed.
func (v ownView) URL() string { return fmt.Sprintf("/devices/%d/pick?key=%s", v.Device, v.Key) }

// MoveURL is where it is moved into a kit.
func (v ownView) MoveURL() string {
	return fmt.Sprintf("/devices/%d/pick/move?reading=%s", v.Device, url.QueryEscape(v.Key))
}

// Judged is what judges it, in words; empty for nothing.
func (v ownView) Judged() string {
	if v.Rules == 0 {
		return ""
	}
	return text.Count(int64(v.Rules), "rule")
}

// RulesURL is where what judges readings of the device is listed.
func (v ownView) RulesURL() string { return "/judge?q=" + url.QueryEscape(own.Name(v.Device)) }

// RuleURL is where a rule on it is made.
func (v ownView) RuleURL() string {
	return fmt.Sprintf("/judge/rules/new?kit=%s&reading=%s&device=%d", own.Name(v.Device), v.Key, v.Device)
}

// Values is where its values are.
func (v ownView) Values() string {
	return fmt.Sprintf("/collect/values?device=%d&q=%s", v.Device, queried(v.Name))
}

// Crumbs is the way to the page.
func (v pageView) Crumbs() []ui.Crumb {
	return []ui.Crumb{{Title: "Watch", URL: "/"}, {Title: v.Device, URL: fmt.Sprintf("/devices/%d", v.ID)}, {Title: "Browse"}}
}

// Above are the objects on the way to the page's own, without itself where it stands among those
// beside it.
func (v pageView) Above() []mib.Object {
	if len(v.Node.Below) == 0 && len(v.Path) > 0 {
		return v.Path[:len(v.Path)-1]
	}
	return v.Path
}

// Beside are the objects that one may go to from here: those below, else those of the same level.
func (v pageView) Beside() []mib.Object {
	if len(v.Node.Below) == 0 {
		return v.Node.Beside
	}
	return v.Node.Below
}

// At is what the page is about, with what stands behind the object.
func (v pageView) At() string { return append(append(mib.OID{}, v.OID...), v.Rest...).String() }

// URL is the page of an object of the device.
func (v pageView) URL(o mib.Object) string { return objectURL(v.ID, o.OID.String()) }

func objectURL(device domain.ID, oid string) string {
	return fmt.Sprintf("/devices/%d/browse?at=%s", device, oid)
}

// Title is what the page is about, in one name.
func (v pageView) Title() string {
	if len(v.Rest) > 0 {
		return v.Name + "." + v.Rest.String()
	}
	return v.Name
}

// Facts are what is known of the object.
func (v pageView) Facts() []fact { return factsOf(v.Object) }

// Pickable tells whether what the page is about can be collected.
func (v pageView) Pickable() bool {
	return v.May.Allows(domain.AccessConfigure) && v.Valued() && !v.Hidden
}

// Words are what the numbers of the object stand for.
func (v pageView) Words() []wordView { return wordsOf(v.Object) }

// Unknown tells whether the page is about something that nobody described.
func (v pageView) Unknown() bool { return len(v.Rest) > 0 && !v.Valued() }

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	v, err := s.viewed(r)
	if err != nil {
		return err
	}
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "browse", "object", v)
	}
	return s.Render.Page(w, r, "browse", render.Frame{Title: "Browse " + v.Device, Area: domain.AreaWatch, Body: v})
}

func (s Screen) viewed(r *http.Request) (v pageView, err error) {
	if v.ID, err = screen.ID(r); err != nil {
		return v, err
	}
	who := middleware.Who(r.Context())
	d, _, err := s.Devices.Draft(r.Context(), who, v.ID)
	if err != nil {
		return v, err
	}
	v.Device, v.May = d.Name, who.Level(area, domain.Spot{Place: d.PlaceID, Device: v.ID})
	at := start
	if asked := r.URL.Query().Get("at"); asked != "" {
		if at, err = mib.ParseOID(asked); err != nil {
			v.Wrong, at = text.UpperFirst(err.Error())+".", start
		}
	}
	if v.Node, err = s.Browse.Node(r.Context(), who, at); err != nil {
		return v, err
	}
	picked, err := s.Kits.Own(r.Context(), who, v.ID)
	v.Mark = picked.Mark
	judges := who.May(domain.AreaJudge, domain.AccessConfigure, domain.Spot{Place: d.PlaceID, Device: v.ID})
	for _, x := range picked.Readings {
		every := x.Every
		if t, ok := picked.TableOf(x.Table); ok {
			every = t.Every
		}
		v.Own = append(v.Own, ownView{v.ID, x, units.Span(every), picked.Rules[x.Key], judges && x.Treat != own.Words})
	}
	return v, err
}

// fact is a property of an object.
type fact struct{ Name, Value string }

func factsOf(o mib.Object) (out []fact) {
	add := func(name, value string) {
		if value != "" {
			out = append(out, fact{name, value})
		}
	}
	add("Identifier", o.OID.String())
	add("Module", o.Module)
	syntax := string(o.Syntax)
	if o.Convention != "" {
		syntax = o.Convention + " (" + syntax + ")"
	}
	if o.Size > 0 && o.Syntax == mib.Octets {
		syntax += ", " + text.Count(int64(o.Size), "byte")
	}
	add("Syntax", syntax)
	add("Unit", o.Unit)
	add("Written as", o.Hint)
	if o.Kind == mib.Row || o.Kind == mib.Table {
		add("Rows told apart by", text.List(o.Index, "and"))
	}
	return out
}

type wordView struct{ Number, Word string }

func wordsOf(o mib.Object) (out []wordView) {
	for _, n := range sortedWords(o.Words) {
		out = append(out, wordView{strconv.FormatInt(n, 10), o.Words[n]})
	}
	return out
}

// searchView is the objects that a search came upon.
type searchView struct {
	Device domain.ID
	Text   string
	Found  []mib.Object
}

// URL is the page of an object.
func (v searchView) URL(o mib.Object) string { return objectURL(v.Device, o.OID.String()) }

func (s Screen) search(w http.ResponseWriter, r *http.Request) (err error) {
	v := searchView{Text: r.URL.Query().Get("q")}
	if v.Device, err = screen.ID(r); err != nil {
		return err
	}
	who := middleware.Who(r.Context())
	if _, _, err := s.Devices.Draft(r.Context(), who, v.Device); err != nil {
		return err
	}
	if v.Found, err = s.Browse.Search(r.Context(), who, v.Text); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "browse", "found", v)
}
