// Package collect knows the kits, and which series a device has because of
// them.
package collect

import (
	"context"
	"fmt"
	"io/fs"
	"slices"
	"sort"
	"strings"
	"sync"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Service is the use cases of collecting.
type Service struct {
	store *store.Store
	kits  map[string]*kit.Kit
	size  sampleSize
}

// sampleSize is what a sample takes, looked up now and then.
type sampleSize struct {
	sync.Mutex
	bytes float64
	at    time.Time
}

const sampleSizeAge = 10 * time.Minute

// BytesPerSample is what a sample takes at rest with its rollups and indexes,
// as measured on those that are stored.
func (s *Service) BytesPerSample(ctx context.Context) float64 {
	s.size.Lock()
	defer s.size.Unlock()
	if time.Since(s.size.at) > sampleSizeAge {
		s.size.bytes, s.size.at = kit.BytesPerSample, time.Now()
		if measured, err := s.store.Samples.BytesPerSample(ctx); err == nil && measured > 0 {
			s.size.bytes = measured
		}
	}
	return s.size.bytes
}

// New reads all kit files; a broken one is an error.
func New(s *store.Store, files fs.FS) (*Service, error) {
	names, err := fs.Glob(files, "*.yaml")
	if err != nil {
		return nil, err
	}
	svc := &Service{store: s, kits: map[string]*kit.Kit{}}
	for _, name := range names {
		data, err := fs.ReadFile(files, name)
		if err != nil {
			return nil, err
		}
		k, err := kit.Parse(data)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		svc.kits[k.Name] = k
	}
	return svc, nil
}

// Kits returns all kits by title.
func (s *Service) Kits() []*kit.Kit {
	out := make([]*kit.Kit, 0, len(s.kits))
	for _, k := range s.kits {
		out = append(out, k)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Title < out[j].Title })
	return out
}

// Kit returns a kit by name, or ErrNotFound.
func (s *Service) Kit(name string) (*kit.Kit, error) {
	if k, ok := s.kits[name]; ok {
		return k, nil
	}
	return nil, fmt.Errorf("kit %q: %w", name, domain.ErrNotFound)
}

// Seed puts the rules of all kits into the database, once each: rules that
// people have changed stay as they are. Series learn what their values are.
func (s *Service) Seed(ctx context.Context) error {
	for _, k := range s.Kits() {
		for _, r := range k.Readings {
			if err := s.store.Series.SetKind(ctx, k.Name, r.Key, r.Kind()); err != nil {
				return err
			}
		}
	}
	existing, err := s.store.Rules.All(ctx)
	if err != nil {
		return err
	}
	have := map[string]bool{}
	for _, r := range existing {
		have[r.Kit+"/"+r.Reading+"/"+r.Name] = true
	}
	for _, k := range s.Kits() {
		for _, r := range k.Rules {
			if have[r.Kit+"/"+r.Reading+"/"+r.Name] {
				continue
			}
			if _, err := s.store.Rules.Save(ctx, r); err != nil {
				return fmt.Errorf("rule %q: %w", r.Name, err)
			}
		}
	}
	return nil
}

// Requests makes the fetches for a device from its fitted kits.
func (s *Service) Requests(d domain.Device, fittings []domain.Fitting, community domain.Secret) []kit.Request {
	var out []kit.Request
	for _, f := range fittings {
		k := s.kits[f.Kit]
		if k == nil || d.Paused {
			continue
		}
		for _, src := range k.Sources {
			r := kit.Request{DeviceID: d.ID, Kit: k.Name, Source: src, Address: d.Address, Port: d.Port, Community: community,
				Method: f.Parameters["method"], ProbePort: d.Port}
			var port int
			if n, _ := fmt.Sscanf(f.Parameters["port"], "%d", &port); n == 1 && port > 0 && port < 65536 {
				r.ProbePort = port
			}
			out = append(out, r)
		}
	}
	return out
}

// DeviceSeries makes sure that all readings of the device itself have their
// series, and returns all series of the device.
func (s *Service) DeviceSeries(ctx context.Context, deviceID domain.ID, fittings []domain.Fitting, have []domain.Series) ([]domain.Series, error) {
	known := map[string]bool{}
	for _, x := range have {
		if x.PartID == 0 {
			known[x.Kit+"/"+x.Reading] = true
		}
	}
	var missing []domain.Series
	for _, f := range fittings {
		k := s.kits[f.Kit]
		if k == nil {
			continue
		}
		for _, r := range k.Readings {
			if r.Of == "" && !known[k.Name+"/"+r.Key] {
				missing = append(missing, seriesOf(k, r, deviceID, 0))
			}
		}
	}
	made, err := s.store.Series.Add(ctx, missing)
	return append(have, made...), err
}

func seriesOf(k *kit.Kit, r kit.Reading, deviceID, partID domain.ID) domain.Series {
	src, _ := k.Source(r.Source)
	return domain.Series{DeviceID: deviceID, PartID: partID, Kit: k.Name, Reading: r.Key, Name: r.Name, Unit: r.Unit, Kind: r.Kind(), Interval: src.Every}
}

// SetParameters changes the parameters of a kit on a device.
func (s *Service) SetParameters(ctx context.Context, deviceID domain.ID, name string, values map[string]string) error {
	k, err := s.Kit(name)
	if err != nil {
		return err
	}
	if errs := k.Check(values); len(errs) > 0 {
		return errs
	}
	fitted, err := s.store.Fittings.Of(ctx, deviceID)
	if err != nil {
		return err
	}
	for _, f := range fitted {
		if f.Kit == name {
			f.Parameters = values
			return s.store.Fittings.Fit(ctx, f)
		}
	}
	return fmt.Errorf("kit %q on device %d: %w", name, deviceID, domain.ErrNotFound)
}

// SyncParts brings the parts of one kind on a device up to date with the rows
// seen now: new rows become parts with their series, re-indexed and renamed
// ones keep their history, vanished ones are marked as gone.
func (s *Service) SyncParts(ctx context.Context, deviceID domain.ID, k *kit.Kit, def kit.Parts, known []domain.Part, rows []derive.Row, at time.Time) ([]domain.Part, []domain.Series, error) {
	src, _ := k.Source(def.Source)
	kept := slices.DeleteFunc(slices.Clone(rows), func(r derive.Row) bool { return !def.Filter.Keeps(src, r) })
	match := identity.MatchRows(partRows(known), seenRows(src, def, kept))
	var changed []domain.Part
	present := map[domain.ID]bool{}
	for i, row := range kept {
		p := domain.Part{DeviceID: deviceID, Kit: k.Name, Kind: def.Kind}
		if match[i] >= 0 {
			p = known[match[i]]
			present[p.ID] = true
		}
		before := p
		fill(&p, src, def, row)
		if p != before {
			changed = append(changed, p)
		}
	}
	for _, p := range known {
		if !present[p.ID] && p.GoneAt.IsZero() {
			p.GoneAt = at
			changed = append(changed, p)
		}
	}
	return s.saveParts(ctx, k, def.Kind, known, changed)
}

func (s *Service) saveParts(ctx context.Context, k *kit.Kit, kind string, known, changed []domain.Part) (parts []domain.Part, series []domain.Series, err error) {
	err = s.store.InTx(ctx, func(tx *store.Areas) error {
		var fresh, old []domain.Part
		for _, p := range changed {
			if p.ID == 0 {
				fresh = append(fresh, p)
			} else {
				old = append(old, p)
			}
		}
		if old, err = tx.Parts.Save(ctx, old); err != nil {
			return err
		}
		made, err := tx.Parts.Save(ctx, fresh)
		if err != nil {
			return err
		}
		var wanted []domain.Series
		for _, p := range made {
			for _, r := range k.Readings {
				if r.Of == kind {
					wanted = append(wanted, seriesOf(k, r, p.DeviceID, p.ID))
				}
			}
		}
		series, err = tx.Series.Add(ctx, wanted)
		parts = merge(known, append(old, made...))
		return err
	})
	return parts, series, err
}

// merge replaces parts that changed and appends new ones.
func merge(known, changed []domain.Part) []domain.Part {
	out := slices.Clone(known)
	for _, c := range changed {
		if i := slices.IndexFunc(out, func(p domain.Part) bool { return p.ID == c.ID }); i >= 0 {
			out[i] = c
		} else {
			out = append(out, c)
		}
	}
	return out
}

func partRows(parts []domain.Part) []identity.Row {
	out := make([]identity.Row, len(parts))
	for i, p := range parts {
		out[i] = identity.Row{Key: p.Key, Index: p.Index}
	}
	return out
}

func seenRows(src kit.Source, def kit.Parts, rows []derive.Row) []identity.Row {
	out := make([]identity.Row, len(rows))
	for i, r := range rows {
		out[i] = identity.Row{Key: PartKey(src, def, r), Index: r.Index}
	}
	return out
}

// PartKey returns the identity that a row has: the first key column that is
// not empty, else its index.
func PartKey(src kit.Source, def kit.Parts, row derive.Row) string {
	if key := firstOf(src, row, def.Key); key != "" {
		return key
	}
	return "row " + row.Index
}

func fill(p *domain.Part, src kit.Source, def kit.Parts, row derive.Row) {
	p.Key, p.Index, p.GoneAt = PartKey(src, def, row), row.Index, time.Time{}
	p.Name = firstOf(src, row, def.Name)
	if p.Name == "" {
		p.Name = p.Key
	}
	p.Note = firstOf(src, row, []string{def.Note})
	if i := src.Column(def.Speed); i >= 0 {
		if speed, ok := row.Values[i].Number(); ok {
			p.Speed = speed * def.SpeedScale
		}
	}
}

func firstOf(src kit.Source, row derive.Row, columns []string) string {
	for _, name := range columns {
		if i := src.Column(name); name != "" && i >= 0 && i < len(row.Values) {
			if text := strings.TrimSpace(row.Values[i].String()); text != "" {
				return text
			}
		}
	}
	return ""
}
