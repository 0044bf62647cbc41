package api

import (
	"context"
	"encoding/json"
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
	Folder  string   `json:"folder" example:"Network/Errors" doc:"Where it is kept among others"`
	ByHand  string   `json:"by_hand" example:"Web page" doc:"What people call one thing that is added by hand with it; empty for none"`
	// Parked is what is kept and not collected.
	Parked []Parked `json:"parked" nullable:"false" doc:"Kept in the file, and not collected"`
}

// Parked is a part of a kit that is kept and not collected.
type Parked struct {
	What    string `json:"what" enum:"source,rows,reading,rule"`
	Key     string `json:"key" example:"load"`
	Because string `json:"because" example:"the source outputs" doc:"What it is parked with; empty where it says so itself"`
}

func kitOf(k *kit.Kit) Kit {
	return Kit{k.Name, k.Title, k.About, k.Version, append([]string{}, k.Needs...), k.Folder, k.HandTitle(),
		append([]Parked{}, every(k.Parked, func(p kit.Parked) Parked { return Parked{p.What, p.Key, p.Because} })...)}
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
	Cautions    []KitCaution    `json:"cautions" nullable:"false" doc:"What does not fit together in it"`
	Before      KitCost         `json:"before"`
	After       KitCost         `json:"after"`
	Alerts      []ChangedAlerts `json:"alerts" nullable:"false" doc:"Of each rule that is otherwise; of who may bring it in"`
	Ends        []string        `json:"ends" nullable:"false" doc:"Open alerts on what would not be collected any more"`
	Why         why.Trace       `json:"why"`
}

// KitDifference is one thing of a kit that is otherwise.
type KitDifference struct {
	What string   `json:"what" enum:"kit,parameter,source,rows,reading,rule,chart,kit inside"`
	Key  string   `json:"key" example:"in_errors"`
	Name string   `json:"name" example:"Errors in"`
	How  string   `json:"how" enum:"new,gone,changed"`
	Says []string `json:"says" nullable:"false" example:"unit: s → ms"`
}

// KitCaution is something of a kit that does not fit together, though it can be read.
type KitCaution struct {
	Of   string `json:"of" enum:"source,reading,rule"`
	Key  string `json:"key" example:"whole"`
	Text string `json:"text"`
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
		Devices:  c.Devices,
		Gained:   c.Gained,
		Lost:     c.Lost,
		Cautions: every(c.Cautions, func(x kit.Caution) KitCaution { return KitCaution(x) }),
		Before:   KitCost(c.Before),
		After:    KitCost(c.After),
		Alerts:   []ChangedAlerts{},
		Ends:     []string{},
		Why:      c.Why,
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
	add(a, operation{http.MethodGet, "/kit-schema", "The JSON Schema of kit files, for editors", domain.AreaCollect, domain.AccessSee},
		func(ctx context.Context, _ *struct{}) (*Body[json.RawMessage], error) {
			text, err := a.Kits.Schema(ctx, caller(ctx))
			return one(json.RawMessage(text), err)
		})
	add(a, operation{http.MethodGet, "/kits-in-progress", "How far changes are that are not in force on all their devices yet",
		domain.AreaCollect, domain.AccessSee},
		func(ctx context.Context, _ *struct{}) (*Body[KitsInProgress], error) {
			far, err := a.Kits.TakenUp(ctx, caller(ctx))
			return one(KitsInProgress{far.Ready, far.Of}, err)
		})
	add(a, operation{http.MethodPost, "/kits/drafts/rehearsal", "What bringing in a kit would do", domain.AreaCollect, domain.AccessSee},
		func(ctx context.Context, in *document) (*Body[KitChange], error) {
			return a.rehearseKit(ctx, in.Body.Document)
		})
	type trying struct {
		Body struct {
			Document string `json:"document" doc:"A kit file (YAML)" minLength:"1" maxLength:"262144" example:"name: interfaces"`
			Device   int64  `json:"device_id" minimum:"1" example:"12"`
			Source   string `json:"source" required:"false" maxLength:"200" doc:"One source alone; left out for all"`
		}
	}
	add(a, operation{http.MethodPost, "/kits/drafts/trial", "Try a kit on a device: it is asked, and nothing is stored", domain.AreaCollect,
		domain.AccessOperate},
		func(ctx context.Context, in *trying) (*Body[KitTrial], error) {
			t, err := a.Browse.TryOn(ctx, caller(ctx), in.Body.Device, in.Body.Document, in.Body.Source)
			return one(kitTrialOf(t), err)
		})
}

// KitsInProgress is how far changes of many devices are: each device is collected from as it was until all of its change
// are made ready; then they change over at one moment.
type KitsInProgress struct {
	Ready int `json:"ready" minimum:"0" doc:"Devices that are made ready and wait for the others"`
	Of    int `json:"of" minimum:"0" doc:"Devices that have part in a change; 0 when all is in force"`
}

// rehearseKit tells what a kit file would do, and to who may bring it in which alerts it would raise and end.
func (a *api) rehearseKit(ctx context.Context, document string) (*Body[KitChange], error) {
	who := caller(ctx)
	c, err := a.Kits.RehearseKit(ctx, who, document)
	if err != nil {
		return nil, err
	}
	out := kitChangeOf(c)
	if c.New || !who.May(domain.AreaCollect, domain.AccessConfigure, domain.At(0)) {
		return one(out, nil)
	}
	p, err := a.Changes.RehearseEdits(ctx, who, []domain.Edit{{Kit: &domain.KitEdit{Kit: c.Name, Document: document}}})
	out.Alerts, out.Ends = every(p.Alerts, changedAlertsOf), append([]string{}, p.Ends...)
	return one(out, err)
}

// KitUpdate is what a release makes of a kit that was changed here. Nothing of it acts before it is decided.
type KitUpdate struct {
	Kit    string           `json:"kit" example:"ups"`
	From   int              `json:"from" doc:"The version of the release that was changed here"`
	To     int              `json:"to" doc:"The present version of the release"`
	Base   int              `json:"base" doc:"The revision in force"`
	Things []KitUpdateThing `json:"things" nullable:"false" doc:"What differs anywhere"`
}

// KitUpdateThing is one thing of a kit with its three forms, in YAML; a form is empty where there is no such thing.
type KitUpdateThing struct {
	ID        string `json:"id" example:"readings/charge"`
	How       string `json:"how" example:"changed on both sides"`
	Conflicts bool   `json:"conflicts" doc:"It must be decided which side holds"`
	Base      string `json:"base"`
	Ours      string `json:"ours"`
	Theirs    string `json:"theirs"`
}

func kitUpdateOf(u collect.Update) KitUpdate {
	return KitUpdate{u.Name, u.From, u.To, u.Base, every(u.Things, func(t kit.MergeThing) KitUpdateThing {
		return KitUpdateThing{t.ID(), t.How, t.Conflicts(), t.Base, t.Ours, t.Theirs}
	})}
}

// kitUpdates are how kits end and how releases change them.
func (a *api) kitUpdates() {
	add(a, operation{http.MethodGet, "/kits/{name}/update", "What a release makes of a kit that was changed here", domain.AreaCollect,
		domain.AccessSee},
		func(ctx context.Context, in *named) (*Body[KitUpdate], error) {
			u, err := a.Kits.Update(ctx, caller(ctx), in.Name)
			return one(kitUpdateOf(u), err)
		})
	type decision struct {
		Name string `path:"name" maxLength:"200" example:"ups"`
		Body struct {
			Sides map[string]string `json:"sides" required:"false" doc:"By the ids of things in conflict: ours or theirs"`
			Base  int               `json:"base" required:"false" doc:"The revision that was compared"`
		}
	}
	add(a, operation{http.MethodPost, "/kits/{name}/update/rehearsal", "What an update would do as it is decided", domain.AreaCollect,
		domain.AccessSee},
		func(ctx context.Context, in *decision) (*Body[KitChange], error) {
			c, err := a.Kits.RehearseUpdate(ctx, caller(ctx), in.Name, in.Body.Sides)
			return one(kitChangeOf(c), err)
		})
	add(a, operation{http.MethodPost, "/kits/{name}/update", "Take an update as it is decided", domain.AreaCollect,
		domain.AccessConfigure},
		func(ctx context.Context, in *decision) (*Body[KitVersion], error) {
			v, err := a.Kits.TakeUpdate(ctx, caller(ctx), in.Name, in.Body.Sides, in.Body.Base)
			return one(kitVersionOf(v), err)
		})
	add(a, operation{http.MethodPost, "/kits/{name}/withdrawal/rehearsal", "What taking a kit away would do", domain.AreaCollect,
		domain.AccessSee},
		func(ctx context.Context, in *named) (*Body[why.Trace], error) {
			return one(a.Kits.RehearseWithdrawal(ctx, caller(ctx), in.Name))
		})
	add(a, operation{http.MethodPost, "/kits/{name}/withdrawal", "Take a kit away that nothing needs; its versions stay",
		domain.AreaCollect, domain.AccessConfigure},
		func(ctx context.Context, in *named) (*none, error) {
			return nil, a.Kits.Withdraw(ctx, caller(ctx), in.Name, 0)
		})
}
