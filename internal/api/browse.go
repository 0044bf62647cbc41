package api

import (
	"cmp"
	"context"
	"net/http"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/browse"
	"tirelessowl/internal/service/collect"
)

// Object is an object of management information that is described.
type Object struct {
	OID    string `json:"oid" example:"1.3.6.1.2.1.2.2.1.8"`
	Name   string `json:"name" example:"ifOperStatus"`
	Module string `json:"module" example:"IF-MIB"`
	Kind   string `json:"kind" enum:"branch,scalar,table,row,column,event"`
	Syntax string `json:"syntax" example:"Integer32"`
	Unit   string `json:"unit" example:""`
	About  string `json:"about"`
}

func objectOf(o mib.Object) Object {
	return Object{o.OID.String(), o.Name, o.Module, string(o.Kind), string(o.Syntax), o.Unit, o.About}
}

// Objects are those that a search came upon, the best first.
type Objects struct {
	Objects []Object `json:"objects" nullable:"false"`
}

// ObjectSearch is what is looked for.
type ObjectSearch struct {
	Search string `query:"search" maxLength:"200" required:"true" example:"ifOper" doc:"A fragment of a name, words, or a number"`
}

// WalkFrom is what a device is asked for.
type WalkFrom struct {
	ByID
	Body struct {
		Under string `json:"under" maxLength:"1000" example:"1.3.6.1.2.1.2" doc:"An object identifier: all below it, or itself"`
		After string `json:"after,omitempty" maxLength:"1000" doc:"The “next” of the piece before; empty for the beginning"`
		Most  int    `json:"most,omitempty" minimum:"0" maximum:"500" example:"100" doc:"How many variables; 0 for 100"`
	}
}

// Variable is one value that a device tells, in words.
type Variable struct {
	OID     string `json:"oid" example:"1.3.6.1.2.1.2.2.1.8.2"`
	Name    string `json:"name" example:"ifOperStatus" doc:"Of the object that is described, or the nearest above"`
	Row     string `json:"row" example:"2" doc:"The index of its row in words, or what stands behind the object"`
	Type    string `json:"type" example:"Integer32"`
	Value   string `json:"value" example:"down"`
	Besides string `json:"besides" example:"2" doc:"Such as the number behind a word"`
}

// Walked is a piece of a walk.
type Walked struct {
	Variables []Variable `json:"variables" nullable:"false"`
	Next      string     `json:"next" doc:"Empty where the walk has ended"`
	Problem   string     `json:"problem" doc:"What kept it from going on, in the words of the protocol"`
}

// OwnRehearsal is what would be stored of a draft, as seen in three looks at the device.
type OwnRehearsal struct {
	Rows     []RehearsedRow  `json:"rows" nullable:"false"`
	Sample   string          `json:"sample" example:"port1" doc:"The row that steps are told of"`
	Steps    []RehearsedStep `json:"steps" nullable:"false" doc:"What each step made of its newest value"`
	Kept     int             `json:"kept"`
	LeftOut  int             `json:"left_out"`
	Cost     kit.Cost        `json:"cost"`
	Cautions []string        `json:"cautions" nullable:"false" doc:"What does not fit together"`
	Problem  string          `json:"problem" doc:"In the words of the protocol"`
}

// RehearsedRow is a row with what would become of it.
type RehearsedRow struct {
	Index  string   `json:"index" example:"2"`
	Name   string   `json:"name" example:"port1"`
	Kept   bool     `json:"kept"`
	Why    string   `json:"why" example:"ifType is 6"`
	Raw    string   `json:"raw" example:"1300"`
	Values []string `json:"values" nullable:"false" doc:"As they would be stored, look by look"`
}

// RehearsedStep is what one step made of a value, or why it made nothing.
type RehearsedStep struct {
	Value   string `json:"value" example:"240"`
	Problem string `json:"problem"`
}

func ownRehearsalOf(r browse.Rehearsal) OwnRehearsal {
	return OwnRehearsal{
		Rows: every(r.Rows, func(x browse.RowSeen) RehearsedRow {
			return RehearsedRow{x.Index, x.Name, x.Keeps, x.Why, x.Raw, append([]string{}, x.Values...)}
		}),
		Sample:   r.Sample,
		Steps:    every(r.Steps, func(x browse.StepSeen) RehearsedStep { return RehearsedStep{x.Value, x.Problem} }),
		Kept:     r.Kept,
		LeftOut:  r.Left,
		Cost:     r.Cost,
		Cautions: every(r.Cautions, func(c own.Caution) string { return c.Text }),
		Problem:  r.Problem,
	}
}

// OwnReading is a reading that was picked at a device.
type OwnReading struct {
	Key              string    `json:"key" example:"ifinerrors"`
	Name             string    `json:"name" example:"In errors"`
	Object           string    `json:"object" example:"ifInErrors"`
	OID              string    `json:"oid" example:"1.3.6.1.2.1.2.2.1.14"`
	Unit             string    `json:"unit" example:"1/s"`
	Treat            string    `json:"treat" enum:"number,state,text" doc:"What is stored"`
	Steps            []OwnStep `json:"steps" nullable:"false" doc:"From what the device says to what is stored, in their order"`
	HeartbeatSeconds float64   `json:"heartbeat_seconds" doc:"A value that does not change is stored once in so long; 0 stores each"`
	IntervalSeconds  float64   `json:"interval_seconds" example:"60"`
	Table            string    `json:"table" doc:"The rows of which it is a column; empty for a single value"`
	Where            string    `json:"where" doc:"The condition that picks rows, in CEL"`
}

func (r OwnReading) at(string) (string, domain.ID) { return r.Key, 0 }

// OwnStep is one step from what a device says to what is stored.
type OwnStep struct {
	Do   string `json:"do" maxLength:"40" example:"scale" doc:"One of rate, change, scale and the others of docs/kits.md"`
	With string `json:"with,omitempty" maxLength:"4000" example:"8" doc:"What goes with it; docs/kits.md tells what that is"`
}

// OwnDraft is a reading as it is to be picked: what is not given is as it is proposed.
type OwnDraft struct {
	At               string     `json:"at" maxLength:"1000" example:"1.3.6.1.2.1.2.2.1.14" doc:"A column, or a single value"`
	Name             *string    `json:"name,omitempty" maxLength:"200"`
	Unit             *string    `json:"unit,omitempty" maxLength:"100"`
	Treat            *string    `json:"treat,omitempty" enum:"number,state,text"`
	Steps            *[]OwnStep `json:"steps,omitempty" maxItems:"20" doc:"From what the device says to what is stored, in their order"`
	HeartbeatSeconds *float64   `json:"heartbeat_seconds,omitempty" doc:"As in what is read"`
	IntervalSeconds  *float64   `json:"interval_seconds,omitempty" doc:"Of a column: that of its whole table"`
	Where            *string    `json:"where,omitempty" maxLength:"10000" doc:"A condition in CEL that picks rows"`
	CalledBy         *string    `json:"called_by,omitempty" maxLength:"200" doc:"The column that rows are called by"`
	TagsFrom         *[]string  `json:"tags_from,omitempty" maxItems:"20" doc:"Columns whose values become tags of the parts"`
	AttributesFrom   *[]string  `json:"attributes_from,omitempty" maxItems:"20" doc:"Columns that become attributes of the parts"`
	SameBy           *string    `json:"same_by,omitempty" maxLength:"200" doc:"The column by which the same row is known again"`
}

// OwnDrafted is a draft for a device.
type OwnDrafted struct {
	ByID
	Body OwnDraft
}

// OwnNamed names a reading of a device's own.
type OwnNamed struct {
	ByID
	Key string `path:"key" maxLength:"100" example:"ifinerrors"`
}

// OwnKit is the kit of a device's own, as a kit file.
type OwnKit struct {
	Document string `json:"document"`
}

// over puts a draft over what is proposed.
func (in OwnDraft) over(d own.Draft) own.Draft {
	d.Name, d.Unit = given(in.Name, d.Name), given(in.Unit, d.Unit)
	d.Treat = own.Treatment(given(in.Treat, string(d.Treat)))
	if in.Steps != nil {
		d.Steps = every(*in.Steps, func(s OwnStep) derive.Written { return derive.Written{Do: s.Do, With: s.With} })
	}
	if in.HeartbeatSeconds != nil {
		d.Heartbeat = time.Duration(*in.HeartbeatSeconds * float64(time.Second))
	}
	interval := cmp.Or(d.Every, d.Rows.Every)
	if in.IntervalSeconds != nil {
		interval = time.Duration(*in.IntervalSeconds * float64(time.Second))
	}
	if d.Treat == own.State || d.Treat == own.Words {
		d.Unit = given(in.Unit, "")
		if in.Steps == nil {
			d.Steps = nil // those that are proposed are for a number
		}
	}
	if d.Table == "" {
		d.Every = interval
		return d
	}
	d.Rows.Every, d.Rows.Where = interval, given(in.Where, d.Rows.Where)
	if in.CalledBy != nil {
		d.Rows.Name = []string{*in.CalledBy, "index"}
	}
	d.Rows.Tags, d.Rows.Attributes = given(in.TagsFrom, d.Rows.Tags), given(in.AttributesFrom, d.Rows.Attributes)
	if in.SameBy != nil {
		d.Rows.Same = []string{*in.SameBy, "index"}
	}
	return d
}

func given[T any](value *T, otherwise T) T {
	if value == nil {
		return otherwise
	}
	return *value
}

func (a *api) browse() {
	const area, see, operate, configure = domain.AreaCollect, domain.AccessSee, domain.AccessOperate, domain.AccessConfigure
	add(a, operation{http.MethodGet, "/objects", "Search the objects that are described", area, see},
		func(ctx context.Context, in *ObjectSearch) (*Body[Objects], error) {
			found, err := a.Browse.Search(ctx, caller(ctx), in.Search)
			return one(Objects{every(found, objectOf)}, err)
		})
	add(a, operation{http.MethodPost, "/devices/{id}/walks", "Read a piece of what a device tells of itself, live", area, operate}, a.walk)
	list(a, operation{http.MethodGet, "/devices/{id}/own-readings", "List the readings that were picked at a device", area, see},
		orders{"key"},
		func(ctx context.Context, in OfThing) ([]OwnReading, error) {
			picked, err := a.Kits.Own(ctx, caller(ctx), in.ID)
			return every(picked.Readings, func(r own.Reading) OwnReading { return ownReadingOf(picked.Set, r) }), err
		})
	add(a, operation{http.MethodGet, "/devices/{id}/own-kit", "Read the kit of a device's own, as a kit file", area, see},
		func(ctx context.Context, in *ByID) (*Body[OwnKit], error) {
			text, err := a.Kits.OwnDocument(ctx, caller(ctx), in.ID)
			return one(OwnKit{text}, err)
		})
	add(a, operation{http.MethodPost, "/devices/{id}/own-readings/rehearsal", "Look what would be stored of a reading", area, configure},
		func(ctx context.Context, in *OwnDrafted) (*Body[OwnRehearsal], error) {
			d, err := a.picking(ctx, in)
			if err != nil {
				return nil, err
			}
			r, err := a.Browse.Rehearse(ctx, caller(ctx), in.ID, d, "", true)
			return one(ownRehearsalOf(r), err)
		})
	add(a, operation{http.MethodPost, "/devices/{id}/own-readings", "Pick a reading at a device", area, configure}, a.pick)
	add(a, operation{http.MethodDelete, "/devices/{id}/own-readings/{key}", "Drop a reading that was picked; its values are lost",
		area, configure},
		func(ctx context.Context, in *OwnNamed) (*none, error) {
			return nil, a.Kits.Drop(ctx, caller(ctx), in.ID, in.Key, "")
		})
	a.moves()
}

// OwnMove moves readings of a device's own into a kit.
type OwnMove struct {
	ByID
	Body struct {
		Readings []string `json:"readings" minItems:"1" maxItems:"200" nullable:"false" doc:"Their keys; all of a table go together"`
		Kit      string   `json:"kit" maxLength:"60" example:"quays" doc:"The name of a kit, or of a new one"`
		Title    string   `json:"title" required:"false" maxLength:"200" doc:"Of a new kit"`
	}
}

func (in OwnMove) move() collect.Move {
	return collect.Move{Device: in.ID, Readings: in.Body.Readings, Kit: in.Body.Kit, Title: in.Body.Title}
}

// OwnMoved is what a move would do.
type OwnMoved struct {
	Change   KitChange `json:"change"`
	Document string    `json:"document" doc:"The kit file"`
	Readings []string  `json:"readings" nullable:"false" doc:"The names of all that would move"`
	Rules    []string  `json:"rules" nullable:"false" doc:"That would move with them, and judge on all devices of the kit"`
}

func (a *api) moves() {
	const area, configure = domain.AreaCollect, domain.AccessConfigure
	add(a, operation{http.MethodPost, "/devices/{id}/own-readings/move/rehearsal", "What moving readings into a kit would do", area,
		configure},
		func(ctx context.Context, in *OwnMove) (*Body[OwnMoved], error) {
			m, err := a.Kits.RehearseMove(ctx, caller(ctx), in.move())
			return one(OwnMoved{kitChangeOf(m.KitChange), m.Document, append([]string{}, m.Names...), append([]string{}, m.Rules...)}, err)
		})
	add(a, operation{http.MethodPost, "/devices/{id}/own-readings/move", "Move readings into a kit, with their history and rules", area,
		configure},
		func(ctx context.Context, in *OwnMove) (*Body[KitVersion], error) {
			v, err := a.Kits.MoveToKit(ctx, caller(ctx), in.move())
			return one(kitVersionOf(v), err)
		})
}

func (a *api) walk(ctx context.Context, in *WalkFrom) (*Body[Walked], error) {
	under, err := mib.ParseOID(in.Body.Under)
	if err != nil {
		return nil, domain.FieldErrors{"under": err.Error()}
	}
	var after mib.OID
	if in.Body.After != "" {
		if after, err = mib.ParseOID(in.Body.After); err != nil {
			return nil, domain.FieldErrors{"after": err.Error()}
		}
	}
	p, err := a.Browse.Walk(ctx, caller(ctx), in.ID, under, after, cmp.Or(in.Body.Most, 100))
	return one(Walked{every(p.Lines, variableOf), p.Next, p.Problem}, err)
}

func variableOf(l browse.Line) Variable {
	return Variable{l.OID, l.Name, l.Row, l.Type, l.Value, l.Besides}
}

func (a *api) picking(ctx context.Context, in *OwnDrafted) (own.Draft, error) {
	at, err := mib.ParseOID(in.Body.At)
	if err != nil {
		return own.Draft{}, domain.FieldErrors{"at": err.Error()}
	}
	d, err := a.Browse.Propose(ctx, caller(ctx), in.ID, at)
	return in.Body.over(d), err
}

func (a *api) pick(ctx context.Context, in *OwnDrafted) (*Body[OwnReading], error) {
	d, err := a.picking(ctx, in)
	if err != nil {
		return nil, err
	}
	key, err := a.Kits.Pick(ctx, caller(ctx), in.ID, d, "")
	if err != nil {
		return nil, err
	}
	picked, err := a.Kits.Own(ctx, caller(ctx), in.ID)
	made, _ := picked.Reading(key)
	return one(ownReadingOf(picked.Set, made.Reading), err)
}

func ownReadingOf(set own.Set, r own.Reading) OwnReading {
	out := OwnReading{Key: r.Key, Name: r.Name, Object: r.Object, OID: r.OID, Unit: r.Unit, Treat: string(r.Treat),
		Steps:            every(r.Steps, func(w derive.Written) OwnStep { return OwnStep{w.Do, w.With} }),
		HeartbeatSeconds: r.Heartbeat.Seconds(),
		IntervalSeconds:  r.Every.Seconds(), Table: r.Table}
	if t, ok := set.TableOf(r.Table); ok {
		out.IntervalSeconds, out.Where = t.Every.Seconds(), t.Where
	}
	return out
}
