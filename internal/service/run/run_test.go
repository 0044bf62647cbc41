package run_test

import (
	"context"
	"errors"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// still is an engine at rest.
type still struct{}

func (still) Stats() domain.CollectorStats    { return domain.CollectorStats{Samples: 7} }
func (still) Footprint() domain.Footprint     { return domain.Footprint{Goroutines: 3} }
func (still) Trouble() (domain.Trouble, bool) { return domain.Trouble{}, false }

// broken is a simulated estate in which one thing can be broken.
type broken struct{ faults []domain.Fault }

func (b *broken) Devices(context.Context) ([]domain.SimulatedDevice, error)   { return nil, nil }
func (b *broken) Services(context.Context) ([]domain.SimulatedService, error) { return nil, nil }
func (b *broken) Faults(context.Context) ([]domain.Fault, error)              { return b.faults, nil }
func (b *broken) Sites() (desk, mail string)                                  { return "desk", "mail" }
func (b *broken) Mend(context.Context, int) (domain.Fault, error)             { return domain.Fault{}, nil }
func (b *broken) Break(_ context.Context, f domain.Fault) (domain.Fault, error) {
	if f.Kind == "wobble" {
		return f, errors.New("there is no such fault")
	}
	f.ID = len(b.faults) + 1
	b.faults = append(b.faults, f)
	return f, nil
}

func TestUsageIsLookedUpOnceAMinute(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	svc := run.New(s, testkit.Desk(s), still{}, store.UsualKeep(90), nil)
	place, err := s.Places.Save(ctx, domain.Place{Name: "Pier", Kind: domain.Organisation})
	require.NoError(t, err)
	d, err := s.Devices.Add(
		ctx,
		domain.Device{PlaceID: place.ID, Name: "a", Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now()},
		"",
		nil,
	)
	require.NoError(t, err)
	made, err := s.Series.Add(ctx, []domain.Series{{DeviceID: d.ID, Kit: "k", Reading: "r", Name: "R", Interval: time.Minute}})
	require.NoError(t, err)
	first, err := svc.Storage(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Equal(t, 1.0, first.Share)
	require.Len(t, first.Usage, 1)
	assert.Equal(t, "Pier", first.Places[place.ID])
	past := samples.History{Series: made[0].ID}
	for m := range 3000 {
		past.Points = append(past.Points, codec.Point{T: time.Now().AddDate(0, 0, -9).UnixMilli() + int64(m)*60_000, V: float64(m % 97)})
	}
	require.NoError(t, s.Samples.Import(ctx, []samples.History{past}))
	again, err := svc.Storage(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Equal(t, first.Usage, again.Usage, "the same for a minute: it looks into the tables")
	fresh, _, err := s.Sizes.Usage(ctx)
	require.NoError(t, err)
	assert.Positive(t, fresh[0].Bytes)
}

func TestFiguresTellOfTheClockThatWasSet(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	svc := run.New(s, testkit.Desk(s), still{}, store.UsualKeep(90), nil)
	got, err := svc.Figures(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Equal(t, int64(7), got.Stats.Samples)
	assert.Nil(t, got.Jump)
	require.NoError(t, s.Settings.Set(ctx, domain.SettingJump, `{"at":"2026-11-23T03:40:00Z","by":3600000000000}`))
	got, err = svc.Figures(ctx, testkit.Anyone)
	require.NoError(t, err)
	require.NotNil(t, got.Jump)
	assert.Equal(t, time.Hour, got.Jump.By)
	assert.NoError(t, svc.Answers(ctx))
	assert.False(t, svc.Away())
	_, missed := svc.Missed(ctx, domain.ErrNotFound)
	assert.False(t, missed)
}

func TestWhatIsBrokenOnPurposeIsNoted(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	svc := run.New(s, testkit.Desk(s), still{}, store.UsualKeep(90), &broken{})
	require.NoError(t, svc.Break(ctx, testkit.Named("Ines"), domain.Fault{Kind: "stop", Target: "gr-sw-1"}))
	assert.Error(t, svc.Break(ctx, testkit.Named("Ines"), domain.Fault{Kind: "wobble"}))
	sim, err := svc.Simulated(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Len(t, sim.Faults, 1)
	noted, err := s.Audit.Find(ctx, domain.EntryFilter{Limit: 10})
	require.NoError(t, err)
	require.Len(t, noted, 1, "what did not happen is not noted")
	assert.Equal(t, []string{"break something on purpose", "stop gr-sw-1", "Ines"}, []string{noted[0].Act, noted[0].Thing, noted[0].Actor})
	none := run.New(s, testkit.Desk(s), still{}, store.UsualKeep(90), nil)
	assert.False(t, none.Simulates())
	assert.ErrorIs(t, none.Break(ctx, testkit.Anyone, domain.Fault{}), domain.ErrNotFound)
}
