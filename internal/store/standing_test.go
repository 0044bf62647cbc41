package store_test

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// quay is two places with devices of one series each, every second one at the first.
type quay struct {
	*store.Store
	t          *testing.T
	pier, shed domain.ID
	devices    []domain.Device
}

func newQuay(t *testing.T, devices int) quay {
	t.Helper()
	q := quay{Store: testkit.Store(t), t: t}
	ctx := t.Context()
	line, err := q.Places.Save(ctx, domain.Place{Name: "Line", Kind: domain.Organisation})
	require.NoError(t, err)
	for name, id := range map[string]*domain.ID{"Pier": &q.pier, "Shed": &q.shed} {
		p, err := q.Places.Save(ctx, domain.Place{ParentID: line.ID, Name: name, Kind: domain.Site})
		require.NoError(t, err)
		*id = p.ID
	}
	for i := range devices {
		q.devices = append(q.devices, q.add(i, []domain.ID{q.pier, q.shed}[i%2]))
	}
	return q
}

func (q quay) add(i int, place domain.ID) domain.Device {
	q.t.Helper()
	d, err := q.Devices.Add(q.t.Context(), domain.Device{PlaceID: place, Name: fmt.Sprint("lamp-", i), CreatedAt: time.Now(),
		Address: netip.AddrFrom4([4]byte{192, 0, 2, byte(i + 1)})}, "", nil)
	require.NoError(q.t, err)
	_, err = q.Series.Add(q.t.Context(), []domain.Series{{DeviceID: d.ID, Kit: "k", Reading: "r", Name: "R", Interval: time.Minute}})
	require.NoError(q.t, err)
	return d
}

// atPier is how many series are seen of what stands at the pier.
func (q quay) atPier() int {
	q.t.Helper()
	series, err := q.Seen(domain.Only(q.pier)).Series.AllIDs(q.t.Context())
	require.NoError(q.t, err)
	return len(series)
}

func (q quay) move(areas *store.Areas, d domain.Device, place domain.ID) {
	q.t.Helper()
	now, err := areas.Devices.One(q.t.Context(), d.ID)
	require.NoError(q.t, err)
	now.PlaceID = place
	require.NoError(q.t, areas.Devices.Update(q.t.Context(), now))
}

// What is remembered of a scope is over with the first device that comes, moves or goes.
func TestWhatIsSeenFollowsDevicesThatMove(t *testing.T) {
	for _, devices := range []int{4, 100} { // 2 runs, which are written out, and 50, which are not
		q := newQuay(t, devices)
		half := devices / 2
		assert.Equal(t, half, q.atPier())
		q.move(&q.Areas, q.devices[1], q.pier)
		assert.Equal(t, half+1, q.atPier(), "one came")
		q.move(&q.Areas, q.devices[0], q.shed)
		q.move(&q.Areas, q.devices[2], q.shed)
		assert.Equal(t, half-1, q.atPier(), "two went")
		q.add(devices, q.pier)
		assert.Equal(t, half, q.atPier(), "one is new")
		require.NoError(t, q.InTx(t.Context(), func(a *store.Areas) error {
			if err := a.Devices.Remove(t.Context(), q.devices[1].ID, time.Now()); err != nil {
				return err
			}
			return a.Devices.Forget(t.Context(), q.devices[1].ID)
		}))
		assert.Equal(t, half-1, q.atPier(), "one is deleted")
	}
}

// A move that another overtook is noticed when it ends, though it is not the last.
func TestWhatIsSeenFollowsAMoveThatEndsLate(t *testing.T) {
	q := newQuay(t, 4)
	ended := assert.AnError
	require.NoError(t, q.InTx(t.Context(), func(a *store.Areas) error {
		q.move(a, q.devices[0], q.shed)
		ended = q.InTx(t.Context(), func(b *store.Areas) error {
			q.move(b, q.devices[1], q.pier)
			return nil
		})
		assert.Equal(t, 3, q.atPier(), "the second has ended, the first has not")
		return ended
	}))
	assert.Equal(t, 2, q.atPier())
}

// Old moves are forgotten by themselves, and what is told of the rest was never told before:
// else a scope that nobody asked for meanwhile would still hold what it held then.
func TestForgettingMovesNeverBringsAnEarlierAnswerBack(t *testing.T) {
	q := newQuay(t, 4)
	told := map[string]bool{}
	for i := range 200 {
		q.move(&q.Areas, q.devices[0], []domain.ID{q.shed, q.pier}[i%2])
		var moves string
		require.NoError(t, q.Pool().QueryRow(t.Context(),
			"SELECT concat_ws('/', count(*), sum(id), max(id)) FROM device_moves").Scan(&moves))
		assert.False(t, told[moves], moves)
		told[moves] = true
	}
	assert.Equal(t, 2, q.atPier())
	var left int
	require.NoError(t, q.Pool().QueryRow(t.Context(), "SELECT count(*) FROM device_moves").Scan(&left))
	assert.LessOrEqual(t, left, 65)
}
