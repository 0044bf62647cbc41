// Package run is the use cases of running the application itself: its figures, its
// storage, and the drill.
package run

import (
	"context"
	"encoding/json"
	"sync"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

// Engine is what collects.
type Engine interface {
	Stats() domain.CollectorStats
	Footprint() domain.Footprint
	// Trouble tells what keeps values from being where they should be; ok is false
	// when nothing does.
	Trouble() (t domain.Trouble, ok bool)
}

// Drill breaks and mends things in a simulated estate.
type Drill interface {
	Devices(ctx context.Context) ([]domain.SimulatedDevice, error)
	Services(ctx context.Context) ([]domain.SimulatedService, error)
	Faults(ctx context.Context) ([]domain.Fault, error)
	Break(ctx context.Context, f domain.Fault) (domain.Fault, error)
	Mend(ctx context.Context, id int) (domain.Fault, error)
	// Sites returns where the pages of the stand-ins are.
	Sites() (desk, mail string)
}

// Service is the use cases.
type Service struct {
	store  *store.Store
	desk   *act.Desk
	engine Engine
	// usual is for how many days samples are kept where nothing else is set.
	usual domain.KeepDays
	drill Drill // nil without a simulated estate
	usage usage
}

// New returns the service; drill may be nil.
func New(s *store.Store, desk *act.Desk, e Engine, usual domain.KeepDays, drill Drill) *Service {
	return &Service{store: s, desk: desk, engine: e, usual: usual, drill: drill}
}

// Figures are what the application tells of itself.
type Figures struct {
	Stats   domain.CollectorStats
	Samples samples.Stats
	Process domain.Footprint
	Trouble *domain.Trouble // nil when all is well
	Jump    *domain.Jump    // of the clock, the newest; nil for none
}

// Figures gathers them.
func (s *Service) Figures(ctx context.Context, who access.Actor) (Figures, error) {
	seen, err := s.desk.SeeWhole(ctx, who, domain.AreaRun)
	if err != nil {
		return Figures{}, err
	}
	out := Figures{Stats: s.engine.Stats(), Samples: s.store.Samples.Stats(), Process: s.engine.Footprint()}
	if t, bad := s.engine.Trouble(); bad {
		out.Trouble = &t
	}
	set, err := seen.Settings.Get(ctx, domain.SettingJump)
	var jump domain.Jump
	if err == nil && set != "" && json.Unmarshal([]byte(set), &jump) == nil {
		out.Jump = &jump
	}
	return out, err
}

// usage is who fills the disk; it is worked out at most once a minute, since
// it looks into the tables.
type usage struct {
	sync.Mutex
	at    time.Time
	rows  []store.Usage
	share float64
}

const usageAge = time.Minute

// Usage is what the samples of one reading of one device take.
type Usage = store.Usage

// Storage is what the database takes, and who fills it.
type Storage struct {
	store.Storage
	Usage []store.Usage
	// Share is the part of the tables from which usage is known, 1 for all.
	Share     float64
	Places    map[domain.ID]string
	Keeps     map[domain.ReadingKey]domain.KeepDays
	Unsettled map[domain.ReadingKey]bool
}

// Storage gathers it.
func (s *Service) Storage(ctx context.Context, who access.Actor) (out Storage, err error) {
	seen, err := s.desk.SeeWhole(ctx, who, domain.AreaRun)
	if err != nil {
		return out, err
	}
	if out.Usage, out.Share, err = s.used(ctx); err != nil {
		return out, err
	}
	places, err := seen.Places.All(ctx)
	if err != nil {
		return out, err
	}
	out.Places = make(map[domain.ID]string, len(places))
	for _, p := range places {
		out.Places[p.ID] = p.Name
	}
	if out.Storage, err = s.store.Sizes.Tables(ctx); err != nil {
		return out, err
	}
	if out.Keeps, err = seen.Keeps.All(ctx); err != nil {
		return out, err
	}
	out.Unsettled, err = seen.Keeps.Unsettled(ctx)
	return out, err
}

// Usual is for how many days samples are kept where nothing else is set.
func (s *Service) Usual() domain.KeepDays { return s.usual }

func (s *Service) used(ctx context.Context) (rows []store.Usage, share float64, err error) {
	u := &s.usage
	u.Lock()
	defer u.Unlock()
	if time.Since(u.at) > usageAge {
		if u.rows, u.share, err = s.store.Sizes.Usage(ctx); err != nil {
			return nil, 0, err
		}
		u.at = time.Now()
	}
	return u.rows, u.share, nil
}

// Trouble tells what keeps values from being where they should be, to whoever asks;
// ok is false when nothing does.
func (s *Service) Trouble() (domain.Trouble, bool) { return s.engine.Trouble() }
