package changes_test

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// The estate that limits are held against.
const (
	manyDevices  = 5000
	manyReadings = 200
)

// BenchmarkRehearse tells what a version of a kit of 200 readings, a rule and an interval would do together on
// 5,000 devices, which have a million series.
func BenchmarkRehearse(b *testing.B) {
	w := setup(b)
	ctx := b.Context()
	_, err := w.kits.Bring(ctx, testkit.Anyone, testkit.WideKit(1, manyReadings), 0)
	require.NoError(b, err)
	var fitted []domain.Fitting
	require.NoError(b, w.db.InTx(ctx, func(tx *store.Areas) error {
		for i := range manyDevices {
			d := domain.Device{PlaceID: w.pier.ID, Name: fmt.Sprint("fleet-", i), Kind: "switch", CreatedAt: time.Now(),
				Address: netip.AddrFrom4([4]byte{127, 79, byte(i >> 8), byte(i)})}
			if d, err = tx.Devices.Add(ctx, d, "", nil); err != nil {
				return err
			}
			fitted = append(fitted, domain.Fitting{DeviceID: d.ID, Kit: "wide", By: domain.ByHand})
		}
		return tx.Fittings.Fit(ctx, fitted...)
	}))
	kit := domain.Edit{Kit: &domain.KitEdit{Kit: "wide", Document: testkit.WideKit(2, manyReadings+2)}}
	for _, x := range []struct {
		name  string
		edits []domain.Edit
	}{
		{"kit", []domain.Edit{kit}},
		{"kit, rule and interval", []domain.Edit{
			kit,
			{FittingRule: &domain.FittingRuleEdit{FittingRule: nothingElse}},
			{Setting: &domain.SettingEdit{PlaceID: w.pier.ID, Key: "every:wide:whole", Value: "2m"}},
		}},
	} {
		b.Run(x.name, func(b *testing.B) {
			for b.Loop() {
				p, err := w.RehearseEdits(ctx, testkit.Anyone, x.edits)
				require.NoError(b, err)
				require.Zero(b, p.Wrong)
				require.Equal(b, 2*manyDevices, p.Gained)
			}
		})
	}
}

var nothingElse = domain.FittingRule{Name: "Nothing else", When: `kind == "switch"`, KeepsOff: []string{"system"}}
