package api

import (
	"context"
	"encoding/json"
	"net/http"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/changes"
)

// ChangeSetDraft is what people may change of changes that are not in force yet.
type ChangeSetDraft struct {
	Name   string       `json:"name" maxLength:"200" required:"false" example:"Winter limits"`
	Reason string       `json:"reason" maxLength:"8000" required:"false" doc:"It is noted with each of the changes"`
	Edits  []ChangeEdit `json:"edits" maxItems:"200" required:"false" nullable:"false" doc:"In any order: kits come before what names them"`
}

// ChangeEdit says what one thing shall be: a kit, a fitting rule, a rule or a setting.
type ChangeEdit struct {
	Kit         *ChangedKit         `json:"kit,omitempty"`
	FittingRule *ChangedFittingRule `json:"fitting_rule,omitempty"`
	Rule        *ChangedRule        `json:"rule,omitempty"`
	Setting     *ChangedSetting     `json:"setting,omitempty"`
}

// ChangedKit is a kit as it shall be.
type ChangedKit struct {
	Kit      string `json:"kit" maxLength:"60" example:"harbour-ups"`
	Document string `json:"document" maxLength:"262144" required:"false" doc:"Its file; left out, the kit is taken away"`
	Base     int    `json:"base,omitempty" doc:"The revision that it was made of; left out for any"`
}

// ChangedFittingRule is a fitting rule as it shall be.
type ChangedFittingRule struct {
	ID       int64    `json:"id,omitempty" doc:"Left out for a new one"`
	Name     string   `json:"name" maxLength:"200" required:"false"`
	When     string   `json:"when" maxLength:"2000" required:"false" example:"kind == \"ups\""`
	Fits     []string `json:"fits" required:"false" maxItems:"100" nullable:"false"`
	KeepsOff []string `json:"keeps_off" required:"false" maxItems:"100" nullable:"false"`
	Off      bool     `json:"off" required:"false"`
	Version  int      `json:"version,omitempty" doc:"That it was made of; left out for any"`
	Remove   bool     `json:"remove,omitempty"`
}

// ChangedRule is a rule as it shall be.
type ChangedRule struct {
	ID        int64           `json:"id,omitempty" doc:"Left out for a new one"`
	Kit       string          `json:"kit" maxLength:"200" required:"false" example:"ups" doc:"Of a new one"`
	Reading   string          `json:"reading" maxLength:"200" required:"false" example:"load" doc:"Of a new one"`
	Device    int64           `json:"device_id,omitempty" doc:"That a new one is for alone"`
	Name      string          `json:"name" maxLength:"200" required:"false"`
	Kind      string          `json:"kind" maxLength:"100" required:"false" example:"limit"`
	Condition json.RawMessage `json:"condition,omitempty" doc:"The document of its condition, as kits write it"`
	Title     string          `json:"title" maxLength:"500" required:"false"`
	Runbook   string          `json:"runbook" maxLength:"10000" required:"false"`
	Enabled   bool            `json:"enabled" required:"false"`
	Tags      []string        `json:"tags" maxItems:"50" required:"false" nullable:"false"`
	Version   int             `json:"version,omitempty" doc:"That it was made of; left out for any"`
	Remove    bool            `json:"remove,omitempty"`
}

// ChangedSetting is a setting as it shall be, at a place, a device or a part.
type ChangedSetting struct {
	Place  int64  `json:"place_id,omitempty"`
	Device int64  `json:"device_id,omitempty"`
	Part   int64  `json:"part_id,omitempty"`
	Key    string `json:"key" maxLength:"300" example:"every:ups:whole"`
	Value  string `json:"value" maxLength:"4000" required:"false" doc:"Left out, what comes from above holds again"`
}

func (e ChangeEdit) edit() (out domain.Edit) {
	if x := e.Kit; x != nil {
		out.Kit = &domain.KitEdit{Kit: x.Kit, Document: x.Document, Base: x.Base}
	}
	if x := e.FittingRule; x != nil {
		r := domain.FittingRule{ID: x.ID, Name: x.Name, When: x.When, Fits: x.Fits, KeepsOff: x.KeepsOff, Off: x.Off, Version: x.Version}
		out.FittingRule = &domain.FittingRuleEdit{FittingRule: r, Remove: x.Remove}
	}
	if x := e.Rule; x != nil {
		out.Rule = &domain.RuleEdit{ID: x.ID, Kit: x.Kit, Reading: x.Reading, DeviceID: x.Device, Name: x.Name, Kind: x.Kind,
			Condition: x.Condition, Title: x.Title, Runbook: x.Runbook, Enabled: x.Enabled, Tags: x.Tags, Version: x.Version,
			Remove: x.Remove}
	}
	if x := e.Setting; x != nil {
		key := domain.SettingKey(x.Key)
		out.Setting = &domain.SettingEdit{PlaceID: x.Place, DeviceID: x.Device, PartID: x.Part, Key: key, Value: x.Value}
	}
	return out
}

func changeEditOf(e domain.Edit) (out ChangeEdit) {
	if x := e.Kit; x != nil {
		out.Kit = &ChangedKit{x.Kit, x.Document, x.Base}
	}
	if x := e.FittingRule; x != nil {
		out.FittingRule = &ChangedFittingRule{x.ID, x.Name, x.When, append([]string{}, x.Fits...), append([]string{}, x.KeepsOff...),
			x.Off, x.Version, x.Remove}
	}
	if x := e.Rule; x != nil {
		out.Rule = &ChangedRule{x.ID, x.Kit, x.Reading, x.DeviceID, x.Name, x.Kind, x.Condition, x.Title, x.Runbook, x.Enabled,
			append([]string{}, x.Tags...), x.Version, x.Remove}
	}
	if x := e.Setting; x != nil {
		out.Setting = &ChangedSetting{x.PlaceID, x.DeviceID, x.PartID, string(x.Key), x.Value}
	}
	return out
}

func (d ChangeSetDraft) set() domain.ChangeSet {
	return domain.ChangeSet{Name: d.Name, Reason: d.Reason, Edits: every(d.Edits, ChangeEdit.edit)}
}

// ChangeSet is changes that are validated, previewed and applied together.
type ChangeSet struct {
	ID int64 `json:"id" example:"3"`
	ChangeSetDraft
	Count      int    `json:"count" example:"3" doc:"How many edits there are; lists leave out what they say"`
	State      string `json:"state" enum:"draft,applied"`
	Author     string `json:"author" example:"ines"`
	Created    Moment `json:"created_at"`
	Applied    Moment `json:"applied_at"`
	AppliedBy  string `json:"applied_by"`
	RollsBack  int64  `json:"rolls_back" doc:"The changes that these take back; 0 for none"`
	RolledBack int64  `json:"rolled_back" doc:"The changes that took these back; 0 for none"`
	Version    int    `json:"version" example:"2"`
}

func changeSetOf(c domain.ChangeSet) ChangeSet {
	draft := ChangeSetDraft{c.Name, c.Reason, every(c.Edits, changeEditOf)}
	return ChangeSet{c.ID, draft, c.Count, string(c.State), c.Author, Moment{c.CreatedAt}, Moment{c.AppliedAt}, c.AppliedBy, c.RollsBack,
		c.RolledBack, c.Version}
}

func (c ChangeSet) mark() string { return markOf(c.Version) }

func (c ChangeSet) at(order string) (string, domain.ID) {
	if order == "name" {
		return c.Name, c.ID
	}
	return "", c.ID
}

// ChangePreview is what changes would do together, with what the devices cost of which something changes.
type ChangePreview struct {
	Edits   []ChangeTold    `json:"edits" nullable:"false"`
	Wrong   int             `json:"wrong" doc:"How many cannot be done as they are; the rest is told without them"`
	Devices []ChangedDevice `json:"devices" nullable:"false" doc:"The first 1,000 of which something changes"`
	Touched int             `json:"devices_changed"`
	Series  ChangedSeries   `json:"series"`
	Before  KitCost         `json:"before"`
	After   KitCost         `json:"after"`
	Alerts  []ChangedAlerts `json:"alerts" nullable:"false" doc:"Of each rule that is otherwise"`
	Ends    []string        `json:"ends" nullable:"false" doc:"Open alerts on what would not be collected any more"`
	Why     why.Trace       `json:"why"`
	Judged  why.Trace       `json:"judged"`
}

// ChangeTold is one change in words.
type ChangeTold struct {
	Sort    string   `json:"sort" example:"kit"`
	Title   string   `json:"title" example:"Uninterruptible power supply"`
	How     string   `json:"how" enum:"new,changed,gone"`
	Says    []string `json:"says" nullable:"false"`
	Problem string   `json:"problem" doc:"Why it cannot be done; empty where it can"`
}

// ChangedSeries counts series.
type ChangedSeries struct {
	Gained  int `json:"gained"`
	Lost    int `json:"lost"`
	Changed int `json:"changed"`
}

// ChangedDevice is what changes on one device.
type ChangedDevice struct {
	DeviceID int64         `json:"device_id"`
	Device   string        `json:"device" example:"np-ups-1"`
	Gains    []KitDecision `json:"gains" nullable:"false"`
	Loses    []KitDecision `json:"loses" nullable:"false"`
	Series   ChangedSeries `json:"series"`
}

// ChangedAlerts is a rule that is otherwise, with its alerts.
type ChangedAlerts struct {
	Rule   string   `json:"rule" example:"Battery is low"`
	How    string   `json:"how" enum:"new,changed,gone"`
	Series int      `json:"series" doc:"That it looks at and that have values"`
	Now    int      `json:"now" doc:"Open alerts"`
	Then   int      `json:"then" doc:"As many would be open"`
	On     []string `json:"on" nullable:"false" doc:"Some of what they would be on"`
}

func changeToldOf(t changes.Told) ChangeTold {
	return ChangeTold{t.Sort, t.Title, t.How, append([]string{}, t.Says...), t.Problem}
}

func changedAlertsOf(a changes.Alerting) ChangedAlerts {
	return ChangedAlerts{a.Rule.Name, a.How, a.Series, a.Now, a.Then, append([]string{}, a.Names...)}
}

func changePreviewOf(p changes.Preview) ChangePreview {
	out := ChangePreview{Edits: every(p.Told, changeToldOf), Wrong: p.Wrong, Devices: []ChangedDevice{}, Touched: len(p.Devices),
		Series: ChangedSeries(p.Series), Before: KitCost(p.Before), After: KitCost(p.After), Alerts: every(p.Alerts, changedAlertsOf),
		Ends: append([]string{}, p.Ends...), Why: p.Why, Judged: p.Judge}
	for _, d := range p.Devices[:min(len(p.Devices), mostEffects)] {
		gains, loses := every(d.Gains, kitDecisionOf), every(d.Loses, kitDecisionOf)
		out.Devices = append(out.Devices, ChangedDevice{d.Device.ID, d.Device.Name, gains, loses, ChangedSeries(d.Series)})
	}
	return out
}

// ChangeRollback is what taking changes back would do today.
type ChangeRollback struct {
	Conflicts []ChangeConflict `json:"conflicts" nullable:"false" doc:"What was changed again since; it stays as it is"`
	ChangePreview
}

// ChangeConflict is a change that is not what it was when it was applied.
type ChangeConflict struct {
	ChangeTold
	Now []string `json:"now" nullable:"false" doc:"What is otherwise since"`
}

func (a *api) changeSets() {
	list(a, operation{http.MethodGet, "/change-sets", "List changes that are made together, the newest last", domain.AreaCollect,
		domain.AccessSee}, orders{"id", "name"},
		func(ctx context.Context, in SearchFilter) ([]ChangeSet, error) {
			all, err := a.Changes.All(ctx, caller(ctx))
			return some(all, func(c domain.ChangeSet) bool { return holds(c.Name, in.Search) }, changeSetOf), err
		})
	kept[ChangeSet, ChangeSetDraft]{
		path:  "/change-sets",
		one:   "changes that are made together",
		area:  domain.AreaCollect,
		see:   domain.AccessSee,
		level: domain.AccessSee, // each change asks for its own when it is applied
		get: func(ctx context.Context, who access.Actor, id domain.ID) (ChangeSet, error) {
			c, err := a.Changes.One(ctx, who, id)
			return changeSetOf(c), err
		},
		draft: func(_ context.Context, c ChangeSet) (ChangeSetDraft, error) { return c.ChangeSetDraft, nil },
		make: func(ctx context.Context, who access.Actor, d ChangeSetDraft) (domain.ID, error) {
			c, err := a.Changes.Begin(ctx, who, d.set())
			return c.ID, err
		},
		change: func(ctx context.Context, who access.Actor, id domain.ID, d ChangeSetDraft, version int) error {
			_, err := a.Changes.Replace(ctx, who, id, d.set(), version)
			return err
		},
		remove: a.Changes.Discard,
	}.register(a)
	a.changesInForce()
}

func (a *api) changesInForce() {
	add(a, operation{http.MethodPost, "/change-sets/{id}/rehearsal", "What changes would do together", domain.AreaCollect,
		domain.AccessSee},
		func(ctx context.Context, in *ByID) (*Body[ChangePreview], error) {
			p, err := a.Changes.Rehearse(ctx, caller(ctx), in.ID)
			return one(changePreviewOf(p), err)
		})
	add(a, operation{http.MethodPost, "/change-sets/{id}/application", "Put all changes of a set in force in one go, or none",
		domain.AreaCollect, domain.AccessSee},
		func(ctx context.Context, in *Existing) (*Body[ChangeSet], error) {
			c, err := a.Changes.Apply(ctx, caller(ctx), in.ID, versionOf(in.mark()))
			return one(changeSetOf(c), err)
		})
	add(a, operation{http.MethodPost, "/change-sets/{id}/rollback/rehearsal", "What taking changes back would do today", domain.AreaCollect,
		domain.AccessSee},
		func(ctx context.Context, in *ByID) (*Body[ChangeRollback], error) {
			r, err := a.Changes.RehearseRollback(ctx, caller(ctx), in.ID)
			out := ChangeRollback{Conflicts: []ChangeConflict{}, ChangePreview: changePreviewOf(r.Preview)}
			for _, c := range r.Conflicts {
				out.Conflicts = append(out.Conflicts, ChangeConflict{changeToldOf(c.Told), append([]string{}, c.Now...)})
			}
			return one(out, err)
		})
	type back struct {
		ByID
		Body struct {
			Leave  bool   `json:"leave_conflicts" required:"false" doc:"What was changed since stays; else nothing is taken back"`
			Reason string `json:"reason" maxLength:"8000" required:"false"`
		}
	}
	add(a, operation{http.MethodPost, "/change-sets/{id}/rollback", "Take changes back, as a further set that can be taken back in turn",
		domain.AreaCollect, domain.AccessSee},
		func(ctx context.Context, in *back) (*Body[ChangeSet], error) {
			c, err := a.Changes.RollBack(ctx, caller(ctx), in.ID, in.Body.Leave, in.Body.Reason)
			return one(changeSetOf(c), err)
		})
}
