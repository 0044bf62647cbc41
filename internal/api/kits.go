package api

import (
	"context"
	"net/http"
	"strconv"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

// Kit is a kit in force.
type Kit struct {
	Name    string   `json:"name" example:"interfaces"`
	Title   string   `json:"title" example:"Interfaces"`
	About   string   `json:"about"`
	Version int      `json:"version" example:"2"`
	Needs   []string `json:"needs" nullable:"false" doc:"Facts that a device must show for it to fit"`
}

func kitOf(k *kit.Kit) Kit {
	return Kit{k.Name, k.Title, k.About, k.Version, append([]string{}, k.Needs...)}
}

func (k Kit) at(order string) (string, domain.ID) {
	if order == "title" {
		return k.Title + " " + k.Name, 0
	}
	return k.Name, 0
}

// KitVersion is one version of a kit.
type KitVersion struct {
	Kit       string `json:"kit" example:"interfaces"`
	Revision  int    `json:"revision" example:"3" doc:"Counts what was stored here"`
	Version   int    `json:"version" example:"2" doc:"What its author says"`
	Shipped   bool   `json:"shipped" doc:"It came with the application"`
	CreatedAt Moment `json:"created_at"`
	Document  string `json:"document,omitempty" example:"name: interfaces" doc:"The kit file (YAML), where one version is read"`
}

func kitVersionOf(v domain.KitVersion) KitVersion {
	return KitVersion{v.Kit, v.Revision, v.Version, v.Shipped, Moment{v.CreatedAt}, v.Document}
}

func (v KitVersion) at(string) (string, domain.ID) { return "", domain.ID(v.Revision) }

// KitChange is what bringing in a kit would do.
type KitChange struct {
	Kit         string          `json:"kit" example:"interfaces"`
	New         bool            `json:"new" doc:"There is no such kit yet"`
	Differences []KitDifference `json:"differences" nullable:"false"`
	Devices     int             `json:"devices" doc:"That it is fitted to"`
	Gained      int             `json:"series_gained"`
	Lost        int             `json:"series_lost" doc:"That would not be collected any more; their past stays"`
	Before      KitCost         `json:"before"`
	After       KitCost         `json:"after"`
	Why         why.Trace       `json:"why"`
}

// KitDifference is one thing of a kit that is otherwise.
type KitDifference struct {
	What string   `json:"what" enum:"kit,parameter,source,rows,reading,rule,chart"`
	Key  string   `json:"key" example:"in_errors"`
	Name string   `json:"name" example:"Errors in"`
	How  string   `json:"how" enum:"new,gone,changed"`
	Says []string `json:"says" nullable:"false" example:"unit: s → ms"`
}

// KitCost is what a kit takes.
type KitCost struct {
	Series            int     `json:"series"`
	RequestsPerMinute float64 `json:"requests_per_minute"`
	SamplesPerDay     float64 `json:"samples_per_day"`
	BytesPerMonth     float64 `json:"bytes_per_month"`
}

func kitChangeOf(c collect.KitChange) KitChange {
	return KitChange{
		Kit: c.Name,
		New: c.New,
		Differences: every(c.Differences, func(d kit.Difference) KitDifference {
			return KitDifference{d.What, d.Key, d.Name, d.How, append([]string{}, d.Says...)}
		}),
		Devices: c.Devices,
		Gained:  c.Gained,
		Lost:    c.Lost,
		Before:  KitCost(c.Before),
		After:   KitCost(c.After),
		Why:     c.Why,
	}
}

type named struct {
	Name string `path:"name" maxLength:"200" example:"interfaces"`
}

// OfKit picks part of a list of one kit.
type OfKit struct {
	Name string `path:"name" maxLength:"200" example:"interfaces"`
	Paging
}

func (a *api) kits() {
	list(a, operation{http.MethodGet, "/kits", "List the kits in force", domain.AreaCollect, domain.AccessSee}, orders{"name", "title"},
		func(ctx context.Context, in SearchFilter) ([]Kit, error) {
			all, err := a.Kits.Known(ctx, caller(ctx))
			return some(all, func(k *kit.Kit) bool { return holds(k.Name+" "+k.Title, in.Search) }, kitOf), err
		})
	add(a, operation{http.MethodGet, "/kits/{name}", "Read a kit in force", domain.AreaCollect, domain.AccessSee},
		func(ctx context.Context, in *named) (*Body[Kit], error) {
			all, err := a.Kits.Known(ctx, caller(ctx))
			for _, k := range all {
				if k.Name == in.Name {
					return one(kitOf(k), err)
				}
			}
			return nil, domain.ErrNotFound
		})
	list(a, operation{http.MethodGet, "/kits/{name}/versions", "List the versions of a kit; the newest is in force", domain.AreaCollect,
		domain.AccessSee}, orders{"-revision"},
		func(ctx context.Context, in OfKit) ([]KitVersion, error) {
			all, err := a.Kits.Versions(ctx, caller(ctx), in.Name)
			return every(all, kitVersionOf), err
		})
	type numbered struct {
		Name     string `path:"name" maxLength:"200" example:"interfaces"`
		Revision int    `path:"revision" minimum:"1" example:"3"`
	}
	add(a, operation{http.MethodGet, "/kits/{name}/versions/{revision}",
		"Read one version of a kit with its document, which can be brought in elsewhere", domain.AreaCollect, domain.AccessSee},
		func(ctx context.Context, in *numbered) (*Body[KitVersion], error) {
			v, err := a.Kits.Version(ctx, caller(ctx), in.Name, in.Revision)
			return one(kitVersionOf(v), err)
		})
	type document struct {
		Body struct {
			Document string `json:"document" doc:"A kit file (YAML)" minLength:"1" maxLength:"262144" example:"name: interfaces"`
			Base     int    `json:"base_revision" required:"false" minimum:"0" doc:"What it was made of, and must still be the newest"`
		}
	}
	made(a, operation{http.MethodPost, "/kits", "Bring in a kit as its newest version; it is in force at once", domain.AreaCollect,
		domain.AccessConfigure},
		func(ctx context.Context, in *document) (*Made[KitVersion], error) {
			v, err := a.Kits.Bring(ctx, caller(ctx), in.Body.Document, in.Body.Base)
			revision := strconv.Itoa(v.Revision)
			return &Made[KitVersion]{"/api/v1/kits/" + v.Kit + "/versions/" + revision, quoted(revision), kitVersionOf(v)}, err
		})
	add(a, operation{http.MethodPost, "/kits/drafts/rehearsal", "What bringing in a kit would do", domain.AreaCollect, domain.AccessSee},
		func(ctx context.Context, in *document) (*Body[KitChange], error) {
			c, err := a.Kits.RehearseKit(ctx, caller(ctx), in.Body.Document)
			return one(kitChangeOf(c), err)
		})
}
