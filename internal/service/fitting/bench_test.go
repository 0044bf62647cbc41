package fitting_test

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// The estate that limits are held against.
const (
	manyDevices  = 5000
	manyReadings = 200
	manyRules    = 20
)

// crowd is a service over many devices, of which each has the wide kit.
func crowd(b *testing.B) (*fitting.Service, *collect.Service) {
	b.Helper()
	ctx := b.Context()
	db := testkit.Store(b)
	kits := testkit.Kits(b, db)
	require.NoError(b, kits.Load(ctx))
	_, err := kits.Bring(ctx, testkit.Anyone, testkit.WideKit(1, manyReadings), 0)
	require.NoError(b, err)
	place, err := db.Places.Save(ctx, domain.Place{Name: "Fleet", Kind: domain.Site})
	require.NoError(b, err)
	var facts []domain.Find
	var fitted []domain.Fitting
	require.NoError(b, db.InTx(ctx, func(tx *store.Areas) error {
		for i := range manyDevices {
			d := domain.Device{PlaceID: place.ID, Name: fmt.Sprint("fleet-", i), Kind: "switch", CreatedAt: time.Now(),
				Address: netip.AddrFrom4([4]byte{127, 79, byte(i >> 8), byte(i)})}
			if d, err = tx.Devices.Add(ctx, d, "", nil); err != nil {
				return err
			}
			facts = append(facts, domain.Find{DeviceID: d.ID, Facts: []string{"answers:snmp", "mib:interfaces"}, FoundAt: time.Now()})
			fitted = append(fitted, domain.Fitting{DeviceID: d.ID, Kit: "wide", By: domain.ByHand})
		}
		if _, err = tx.Facts.Learn(ctx, facts...); err != nil {
			return err
		}
		for i := range manyRules {
			when := fmt.Sprintf(`name == "fleet-%d"`, i)
			r := domain.FittingRule{Rank: i + 1, Name: fmt.Sprint("rule ", i), When: when, Fits: []string{"system"}}
			if _, err = tx.FittingRules.Save(ctx, r); err != nil {
				return err
			}
		}
		return tx.Fittings.Fit(ctx, fitted...)
	}))
	return fitting.New(fitting.Wiring{Store: db, Desk: testkit.Desk(db), Kits: kits}), kits
}

// BenchmarkTry tries a rule over 5,000 devices, beside 20 others.
func BenchmarkTry(b *testing.B) {
	svc, _ := crowd(b)
	draft := domain.FittingRule{When: `kind == "switch" && "interfaces" in facts.mibs`, Fits: []string{"interfaces"}}
	for b.Loop() {
		t, err := svc.Try(b.Context(), testkit.Anyone, draft)
		require.NoError(b, err)
		require.Len(b, t.Effects, manyDevices)
	}
}

// BenchmarkRehearseKit previews a version of a kit of 200 readings on 5,000 devices: 1,000,000 series.
func BenchmarkRehearseKit(b *testing.B) {
	_, kits := crowd(b)
	for b.Loop() {
		c, err := kits.RehearseKit(b.Context(), testkit.Anyone, testkit.WideKit(2, manyReadings+2))
		require.NoError(b, err)
		require.Equal(b, 2*manyDevices, c.Gained)
	}
}

// BenchmarkRefit looks whether anything is to be fitted otherwise, as at each start.
func BenchmarkRefit(b *testing.B) {
	svc, _ := crowd(b)
	_, err := svc.Refit(b.Context())
	require.NoError(b, err)
	for b.Loop() {
		changed, err := svc.Refit(b.Context())
		require.NoError(b, err)
		require.Empty(b, changed)
	}
}
