package api

import (
	"context"
	"net/http"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
)

// SweepDraft is a sweep that is to be made.
type SweepDraft struct {
	PlaceID       Ref         `json:"place_id,omitempty" doc:"For which part of the tree"`
	Name          string      `json:"name" example:"Gravel Bay" minLength:"1" maxLength:"200"`
	Ranges        string      `json:"ranges" example:"192.0.2.0/26" doc:"Addresses, ranges, networks" minLength:"1" maxLength:"200000"`
	Exclude       string      `json:"exclude,omitempty" example:"192.0.2.1" doc:"Left out" maxLength:"10000"`
	Port          int         `json:"port" example:"161" minimum:"1" maximum:"65535"`
	Pace          int         `json:"pace,omitempty" example:"500" doc:"Requests a second; 0 chooses" minimum:"0" maximum:"50000"`
	CredentialIDs []domain.ID `json:"credential_ids,omitempty" nullable:"false" maxItems:"100"`
	Community     string      `json:"community,omitempty" example:"our-readers" doc:"A new community" maxLength:"200" writeOnly:"true"`
	Ports         string      `json:"ports,omitempty" example:"22, 80" doc:"TCP ports that are looked at, too" maxLength:"1000"`
	Echo          bool        `json:"echo,omitempty" doc:"Ask by ICMP echo, too"`
	EveryHours    int         `json:"every_hours,omitempty" example:"24" doc:"When it begins again; 0 for never" enum:"0,1,6,24,168"`
	StoreAs       string      `json:"store_as,omitempty" example:"Gravel" doc:"Name of its credential" maxLength:"200" writeOnly:"true"`
}

// Sweep is a defined search through addresses.
type Sweep struct {
	ID            int64       `json:"id" example:"7"`
	PlaceID       Ref         `json:"place_id"`
	Name          string      `json:"name" example:"Gravel Bay"`
	Ranges        string      `json:"ranges" example:"192.0.2.0/26"`
	Exclude       string      `json:"exclude" example:"192.0.2.1"`
	Port          int         `json:"port" example:"161"`
	Pace          int         `json:"pace" example:"500"`
	CredentialIDs []domain.ID `json:"credential_ids" nullable:"false"`
	Ports         string      `json:"ports" example:"22, 80"`
	Echo          bool        `json:"echo"`
	EveryHours    int         `json:"every_hours" example:"24" doc:"After how long it begins again; 0 for never"`
	State         string      `json:"state" example:"done" enum:"ready,running,done,stopped,failed"`
	Total         int64       `json:"total" example:"64" doc:"Addresses to try"`
	Tried         int64       `json:"tried" example:"64"`
	Found         int64       `json:"found" example:"9"`
	Error         string      `json:"error" example:""`
	CreatedAt     Moment      `json:"created_at"`
	StartedAt     Moment      `json:"started_at"`
	EndedAt       Moment      `json:"ended_at"`
}

func sweepOf(s domain.Sweep) Sweep {
	return Sweep{
		ID:            s.ID,
		PlaceID:       Ref(s.PlaceID),
		Name:          s.Name,
		Ranges:        s.Ranges,
		Exclude:       s.Exclude,
		Port:          s.Port,
		Pace:          s.Pace,
		Ports:         s.Ports,
		Echo:          s.Echo,
		EveryHours:    int(s.Every / time.Hour),
		CredentialIDs: append([]domain.ID{}, s.CredentialIDs...),
		State:         string(s.State),
		Total:         s.Total,
		Tried:         s.Tried,
		Found:         s.Found,
		Error:         s.Error,
		CreatedAt:     Moment{s.CreatedAt},
		StartedAt:     Moment{s.StartedAt},
		EndedAt:       Moment{s.EndedAt},
	}
}

// mark changes with its state: nothing else of a sweep does.
func (s Sweep) mark() string { return s.State }

func (s Sweep) at(order string) (string, domain.ID) {
	if order == "name" {
		return s.Name, s.ID
	}
	return "", s.ID
}

// Find is what one sweep found at one device.
type Find struct {
	ID           int64          `json:"id" example:"31"`
	SweepID      int64          `json:"sweep_id" example:"7"`
	Identity     string         `json:"identity" doc:"The same for all addresses of one device"`
	Address      string         `json:"address" example:"192.0.2.17"`
	Others       []string       `json:"other_addresses" nullable:"false"`
	Name         string         `json:"name" example:"gr-sw-1"`
	Vendor       string         `json:"vendor"`
	Model        string         `json:"model"`
	Kind         string         `json:"kind" example:"switch"`
	Description  string         `json:"description"`
	ObjectID     string         `json:"object_id" example:"1.3.6.1.4.1.63000.1"`
	Location     string         `json:"location"`
	Parts        map[string]int `json:"parts" nullable:"false" doc:"How many it has inside, by their purpose"`
	Facts        []string       `json:"facts" nullable:"false"`
	Way          string         `json:"way" example:"snmp"`
	CredentialID Ref            `json:"credential_id"`
	Verdict      string         `json:"verdict" example:"new" enum:"new,known,moved,adopted,ignored"`
	DeviceID     Ref            `json:"device_id"`
	Proposal     string         `json:"proposal" example:"" doc:"What of a known device would change"`
	Doubt        string         `json:"doubt" example:"" doc:"Why it may not be what it seems"`
	FoundAt      Moment         `json:"found_at"`
}

func findOf(f domain.Find) Find {
	parts := f.Parts
	if parts == nil {
		parts = map[string]int{}
	}
	return Find{
		ID:           f.ID,
		SweepID:      f.SweepID,
		Identity:     f.Identity,
		Address:      f.Address,
		Others:       append([]string{}, f.Others...),
		Name:         f.Name,
		Vendor:       f.Vendor,
		Model:        f.Model,
		Kind:         f.Kind,
		Description:  f.Description,
		ObjectID:     f.ObjectID,
		Location:     f.Location,
		Parts:        parts,
		Facts:        append([]string{}, f.Facts...),
		Way:          f.Way,
		CredentialID: Ref(f.CredentialID),
		Verdict:      string(f.Verdict),
		DeviceID:     Ref(f.DeviceID),
		Proposal:     f.Proposal,
		Doubt:        f.Doubt,
		FoundAt:      Moment{f.FoundAt},
	}
}

func (f Find) at(order string) (string, domain.ID) {
	if order == "name" {
		return f.Name, f.ID
	}
	return "", f.ID
}

// SweepAlone are the rules by which a sweep adopts what it found without asking.
type SweepAlone struct {
	Rules []AdoptAlone `json:"rules" nullable:"false" maxItems:"20" doc:"The first that holds adopts a find, with all kits that fit"`
}

// AdoptAlone is one of them.
type AdoptAlone struct {
	When    string    `json:"when" maxLength:"2000" example:"kind == \"switch\"" doc:"A condition in CEL over what was found"`
	PlaceID domain.ID `json:"place_id" example:"3"`
	Tags    []string  `json:"tags,omitempty" nullable:"false" maxItems:"20"`
}

// SweepAloneSet sets them.
type SweepAloneSet struct {
	ByID
	Body SweepAlone
}

// SweepDecided is what rules would do with a find.
type SweepDecided struct {
	FindID domain.ID `json:"find_id" example:"31"`
	Name   string    `json:"name" example:"gr-sw-1"`
	Rule   int       `json:"rule" doc:"The rule that adopts it, from 1; 0 for none"`
	Why    string    `json:"why"`
}

// SweepRehearsed is that of all finds that are not watched.
type SweepRehearsed struct {
	Finds []SweepDecided `json:"finds" nullable:"false"`
}

func (in SweepAlone) rules() []domain.AdoptionRule {
	return every(in.Rules, func(r AdoptAlone) domain.AdoptionRule {
		return domain.AdoptionRule{When: r.When, PlaceID: r.PlaceID, Tags: r.Tags}
	})
}

func (a *api) alone() {
	const area, see, configure, path = domain.AreaFind, domain.AccessSee, domain.AccessConfigure, "/sweeps/{id}/adoption-rules"
	add(a, operation{http.MethodGet, path, "Read what a sweep adopts without asking", area, see},
		func(ctx context.Context, in *ByID) (*Body[SweepAlone], error) {
			found, err := a.Find.Alone(ctx, caller(ctx), in.ID)
			return one(SweepAlone{every(found.Rules, func(r domain.AdoptionRule) AdoptAlone {
				return AdoptAlone{r.When, r.PlaceID, append([]string{}, r.Tags...)}
			})}, err)
		})
	add(a, operation{http.MethodPut, path, "Set what a sweep adopts without asking", area, configure},
		func(ctx context.Context, in *SweepAloneSet) (*none, error) {
			return nil, a.Find.SetAlone(ctx, caller(ctx), in.ID, in.Body.rules(), "")
		})
	add(a, operation{http.MethodPost, path + "/rehearsal", "What rules would adopt of what was found", area, see},
		func(ctx context.Context, in *SweepAloneSet) (*Body[SweepRehearsed], error) {
			all, err := a.Find.RehearseAlone(ctx, caller(ctx), in.ID, in.Body.rules())
			return one(SweepRehearsed{every(all, func(d find.Decided) SweepDecided {
				return SweepDecided{d.Find.ID, d.Find.Name, d.Rule + 1, d.Why}
			})}, err)
		})
}

// FindFilter picks finds of a sweep.
type FindFilter struct {
	ByID
	Paging
	Verdict string `query:"verdict" enum:"new,known,moved,adopted,ignored"`
	Search  string `query:"q" maxLength:"200" doc:"Part of a name or address"`
}

// Sighting is an address that answered a sweep, though not as a device that can be asked.
type Sighting struct {
	Address string `json:"address" example:"192.0.2.40"`
	Said    string `json:"said" doc:"What it said, in words"`
}

func (s Sighting) at(string) (string, domain.ID) { return s.Address, 0 }

// SweepRun is what one run of a sweep came to.
type SweepRun struct {
	ID        domain.ID     `json:"id"`
	StartedAt Moment        `json:"started_at"`
	EndedAt   Moment        `json:"ended_at"`
	State     string        `json:"state" enum:"done,stopped,failed"`
	Tried     int64         `json:"tried"`
	Found     int64         `json:"found"`
	Changes   []SweepChange `json:"changes" nullable:"false" doc:"Since the run before that was done"`
}

// SweepChange is what happened to one device between two runs.
type SweepChange struct {
	Kind    string            `json:"kind" enum:"new,changed,gone,back"`
	Address string            `json:"address" example:"192.0.2.17"`
	Name    string            `json:"name" example:"np-sw-1"`
	What    []SweepDifference `json:"what" nullable:"false"`
}

// SweepDifference is one property that is another one now.
type SweepDifference struct {
	Property string `json:"property" example:"name"`
	From     string `json:"from"`
	To       string `json:"to"`
}

func (r SweepRun) at(string) (string, domain.ID) { return "", r.ID }

func sweepRunOf(r find.Run) SweepRun {
	changes := every(r.Changes, func(c identity.Change) SweepChange {
		what := every(c.What, func(d identity.Difference) SweepDifference { return SweepDifference{d.Property, d.From, d.To} })
		return SweepChange{string(c.Kind), c.Address, c.Name, what}
	})
	return SweepRun{r.ID, Moment{r.StartedAt}, Moment{r.EndedAt}, string(r.State), r.Tried, r.Found, changes}
}

// Adoption is what to do with finds.
type Adoption struct {
	FindIDs       []domain.ID `json:"find_ids" nullable:"false" minItems:"1" maxItems:"10000"`
	PlaceID       Ref         `json:"place_id,omitempty" doc:"Where they stand"`
	NewPlace      string      `json:"new_place,omitempty" maxLength:"200" doc:"Name of a new site for them" example:"Gravel Bay"`
	Kits          []string    `json:"kits" nullable:"false" maxItems:"1000"`
	Tags          string      `json:"tags,omitempty" maxLength:"2000" doc:"That the devices get, with commas between" example:"ship, night"`
	GatewayFindID Ref         `json:"gateway_find_id,omitempty" doc:"Through which the place is reached"`
}

type chosen struct {
	ByID
	Body struct {
		FindIDs []domain.ID `json:"find_ids" nullable:"false" minItems:"1" maxItems:"10000"`
	}
}

func (a *api) sweeps() {
	list(a, operation{http.MethodGet, "/sweeps", "List sweeps", domain.AreaFind, domain.AccessSee}, orders{"-id", "name"},
		func(ctx context.Context, in SearchFilter) ([]Sweep, error) {
			all, err := a.Find.Sweeps(ctx, caller(ctx))
			return some(all, func(s domain.Sweep) bool { return holds(s.Name, in.Search) }, sweepOf), err
		})
	kept[Sweep, SweepDraft]{
		path:  "/sweeps",
		one:   "a sweep",
		area:  domain.AreaFind,
		see:   domain.AccessSee,
		level: domain.AccessConfigure,
		get:   a.sweep,
		make:  a.makeSweep,
		remove: func(ctx context.Context, who access.Actor, id domain.ID, _ int) error {
			return a.Find.Delete(ctx, who, id)
		},
	}.register(a)
	a.running()
	a.finds()
}

func (a *api) sweep(ctx context.Context, who access.Actor, id domain.ID) (Sweep, error) {
	s, err := a.Find.Sweep(ctx, who, id)
	return sweepOf(s), err
}

func (a *api) makeSweep(ctx context.Context, who access.Actor, d SweepDraft) (domain.ID, error) {
	s, err := a.Find.Create(ctx, who, find.Draft{
		PlaceID:       domain.ID(d.PlaceID),
		Name:          d.Name,
		Ranges:        d.Ranges,
		Exclude:       d.Exclude,
		Port:          d.Port,
		Pace:          d.Pace,
		Ports:         d.Ports,
		Echo:          d.Echo,
		Every:         time.Duration(d.EveryHours) * time.Hour,
		CredentialIDs: d.CredentialIDs,
		Community:     domain.Secret(d.Community),
		NewName:       d.StoreAs,
	})
	return s.ID, err
}

// running is what starts and stops sweeps.
func (a *api) running() {
	after := func(do func(context.Context, access.Actor, domain.ID) error) func(context.Context, *ByID) (*Body[Sweep], error) {
		return func(ctx context.Context, in *ByID) (*Body[Sweep], error) {
			if err := do(ctx, caller(ctx), in.ID); err != nil {
				return nil, err
			}
			return one(a.sweep(ctx, caller(ctx), in.ID))
		}
	}
	add(a, operation{http.MethodPost, "/sweeps/{id}/start", "Start a sweep", domain.AreaFind, domain.AccessOperate}, after(a.Find.Start))
	add(a, operation{http.MethodPost, "/sweeps/{id}/stop", "Stop a sweep; its finds stay", domain.AreaFind, domain.AccessOperate},
		after(a.Find.Stop))
}

func (a *api) finds() {
	list(a, operation{http.MethodGet, "/sweeps/{id}/finds", "List what a sweep found", domain.AreaFind, domain.AccessSee},
		orders{"id", "name"},
		func(ctx context.Context, in FindFilter) ([]Find, error) {
			all, err := a.Find.Finds(ctx, caller(ctx), in.ID)
			return some(all, func(f domain.Find) bool {
				return (in.Verdict == "" || string(f.Verdict) == in.Verdict) && holds(f.Name+" "+f.Address, in.Search)
			}, findOf), err
		})
	list(a, operation{http.MethodGet, "/sweeps/{id}/sightings", "List what answered a sweep, though not as a device that can be asked",
		domain.AreaFind, domain.AccessSee}, orders{"address"},
		func(ctx context.Context, in OfThing) ([]Sighting, error) {
			all, err := a.Find.Sightings(ctx, caller(ctx), in.ID)
			return every(all, func(s domain.Sighting) Sighting { return Sighting{s.Address, s.Said} }), err
		})
	list(a, operation{http.MethodGet, "/sweeps/{id}/runs", "List what the runs of a sweep came to, and what changed from one to the next",
		domain.AreaFind, domain.AccessSee}, orders{"-id"},
		func(ctx context.Context, in OfThing) ([]SweepRun, error) {
			all, err := a.Find.Runs(ctx, caller(ctx), in.ID)
			return every(all, sweepRunOf), err
		})
	add(a, operation{http.MethodPost, "/sweeps/{id}/take-over",
		"Ask known devices as they were found: at another address, or with another credential", domain.AreaFind, domain.AccessConfigure},
		func(ctx context.Context, in *chosen) (*none, error) {
			return nil, a.Find.TakeOver(ctx, caller(ctx), in.ID, in.Body.FindIDs)
		})
	aside := func(is bool) func(context.Context, *chosen) (*none, error) {
		return func(ctx context.Context, in *chosen) (*none, error) {
			return nil, a.Find.Ignore(ctx, caller(ctx), in.ID, in.Body.FindIDs, is)
		}
	}
	add(a, operation{http.MethodPost, "/sweeps/{id}/ignore", "Put finds aside", domain.AreaFind, domain.AccessConfigure}, aside(true))
	add(a, operation{http.MethodPost, "/sweeps/{id}/offer-again", "Take finds back that were put aside", domain.AreaFind,
		domain.AccessConfigure}, aside(false))
	type adopt struct {
		ByID
		Body Adoption
	}
	add(a, operation{http.MethodPost, "/sweeps/{id}/adopt", "Watch what was found", domain.AreaFind, domain.AccessConfigure},
		func(ctx context.Context, in *adopt) (*Body[Adopted], error) {
			b := in.Body
			made, err := a.Find.Adopt(ctx, caller(ctx), in.ID, find.Adoption{
				FindIDs:     b.FindIDs,
				PlaceID:     domain.ID(b.PlaceID),
				NewPlace:    b.NewPlace,
				Kits:        b.Kits,
				Tags:        b.Tags,
				GatewayFind: domain.ID(b.GatewayFindID),
			})
			return one(Adopted{every(made, deviceOf)}, err)
		})
}

// Adopted are the devices that finds became.
type Adopted struct {
	Devices []Device `json:"devices" nullable:"false"`
}
