package store

import (
	"context"

	"gorm.io/gorm"
)

// Areas are the tables of the database, each with the few things that may be
// asked of it. Within a transaction they are all there is: neither the pool nor
// the sample store can be reached from them, so that nothing leaves a
// transaction by accident.
type Areas struct {
	area
	Alerts        Alerts
	Answers       Answers
	Attributes    Attributes
	Audit         Audit
	Browsers      Browsers
	Calendars     Calendars
	ChangeSets    ChangeSets
	Channels      Channels
	Credentials   Credentials
	Deliveries    Deliveries
	Devices       Devices
	Endpoints     Endpoints
	Events        Events
	Factors       Factors
	Facts         Facts
	Finds         Finds
	FittingRules  FittingRules
	Fittings      Fittings
	Hits          Hits
	Implausible   Implausible
	Incidents     Incidents
	Keeps         Keeps
	Kits          Kits
	Links         Links
	Modules       Modules
	Enterprises   Enterprises
	AdoptionRules AdoptionRules
	Overrides     Overrides
	OwnKits       OwnKits
	Parts         Parts
	Places        Places
	Plans         Plans
	Providers     Providers
	Rules         Rules
	Series        Series
	Sessions      Sessions
	Settings      Settings
	Sightings     Sightings
	SweepAnswers  SweepAnswers
	SweepRuns     SweepRuns
	SignIns       SignIns
	Sources       Sources
	Sweeps        Sweeps
	Teams         Teams
	Tickets       Tickets
	Tokens        Tokens
	Transitions   Transitions
	Users         Users
}

// area is a part of the database: one or a few tables that belong together.
type area struct {
	db *gorm.DB
	// scoped is true where only a part of the tree is seen.
	scoped bool
}

func (a area) q(ctx context.Context) *gorm.DB { return a.db.WithContext(ctx) }

// areasOf are all areas over one connection or transaction.
func areasOf(db *gorm.DB, keys *Vault) Areas {
	return areasFrom(area{db: db}, keys)
}

func areasFrom(a area, keys *Vault) Areas {
	return Areas{
		area:          a,
		Alerts:        Alerts{a},
		Answers:       Answers{a, keys},
		Attributes:    Attributes{a},
		Audit:         Audit{a},
		Browsers:      Browsers{a},
		Calendars:     Calendars{a},
		ChangeSets:    ChangeSets{a},
		Channels:      Channels{a, keys},
		Credentials:   Credentials{a, keys},
		Deliveries:    Deliveries{a},
		Devices:       Devices{a},
		Endpoints:     Endpoints{a},
		Events:        Events{a},
		Factors:       Factors{a, keys},
		Facts:         Facts{a},
		Finds:         Finds{a},
		FittingRules:  FittingRules{a},
		Fittings:      Fittings{a},
		Hits:          Hits{a},
		Implausible:   Implausible{a},
		Incidents:     Incidents{a},
		Keeps:         Keeps{a},
		Kits:          Kits{a},
		Links:         Links{a},
		Modules:       Modules{a},
		Enterprises:   Enterprises{a},
		AdoptionRules: AdoptionRules{a},
		Overrides:     Overrides{a},
		OwnKits:       OwnKits{a},
		Parts:         Parts{a},
		Places:        Places{a},
		Plans:         Plans{a},
		Providers:     Providers{a, keys},
		Rules:         Rules{a},
		Series:        Series{a},
		Sessions:      Sessions{a},
		Settings:      Settings{a},
		Sightings:     Sightings{a},
		SignIns:       SignIns{a},
		Sources:       Sources{a},
		SweepAnswers:  SweepAnswers{a},
		SweepRuns:     SweepRuns{a},
		Sweeps:        Sweeps{a},
		Teams:         Teams{a},
		Tickets:       Tickets{a},
		Tokens:        Tokens{a},
		Transitions:   Transitions{a},
		Users:         Users{a},
	}
}
