package engine_test

import (
	"fmt"
	"net/netip"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// fleet has devices that are asked whether they answer; the database takes so long for each of their series of the kit
// “five” that they are made ready in several turns.
func fleet(t *testing.T, devices int) (w world, ids []domain.ID) {
	w = setup(t, "reachability")
	ctx := t.Context()
	_, err := w.kits.Bring(ctx, testkit.Anyone, fiveReadings(5), 0)
	require.NoError(t, err)
	require.NoError(t, w.store.InTx(ctx, func(tx *store.Areas) error {
		for i := range devices {
			d, err := tx.Devices.Add(ctx, domain.Device{PlaceID: w.device.PlaceID, Name: fmt.Sprint("fleet-", i), CreatedAt: time.Now(),
				Address: netip.AddrFrom4([4]byte{192, 0, 2, byte(10 + i)})}, "", nil)
			if err != nil {
				return err
			}
			if err := tx.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "reachability"}); err != nil {
				return err
			}
			ids = append(ids, d.ID)
		}
		return nil
	}))
	w.exec(t, `CREATE FUNCTION slowly() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
			IF NEW.kit = 'five' THEN PERFORM pg_sleep(0.003); END IF;
			RETURN NEW;
		END $$`)
	w.exec(t, `CREATE TRIGGER slowly BEFORE INSERT ON series FOR EACH ROW EXECUTE FUNCTION slowly()`)
	judge := engine.NewJudge(w.store, respond.New(w.store, nil, nil, nil, "", func() {}), engine.NewHub(), quiet)
	w.collector = engine.NewCollector(w.store, w.kits, w.fetcher, judge, engine.Files{}, quiet)
	w.start(t, func(way.Question, int) derive.Fetched {
		return derive.Fetched{Rows: []derive.Row{{Values: []derive.Value{num(0.01), num(0), num(0), num(0), num(0)}}}}
	})
	return w, ids
}

func (w world) fitFive(t *testing.T, ids []domain.ID) {
	t.Helper()
	var fitted []domain.Fitting
	for _, id := range ids {
		fitted = append(fitted, domain.Fitting{DeviceID: id, Kit: "five"})
	}
	require.NoError(t, w.store.Fittings.Fit(t.Context(), fitted...))
	require.NoError(t, w.collector.ReloadSome(t.Context(), ids))
}

// asked counts the devices that are asked what the kit “five” asks, all at one moment.
func (w world) asked(t *testing.T, ids []domain.ID) (n int) {
	t.Helper()
	ran, err := w.collector.Ran(t.Context(), ids...)
	require.NoError(t, err)
	for _, of := range ran {
		if _, is := of["five/whole"]; is {
			n++
		}
	}
	return n
}

func TestAChangeOfManyDevicesIsInForceAtOneMoment(t *testing.T) {
	w, ids := fleet(t, 140)
	var partly atomic.Bool
	go func() { // whoever asks the pipeline waits for it, and may miss that
		for t.Context().Err() == nil && !partly.Load() {
			far := w.collector.TakingUp()
			partly.Store(far.Ready > 0 && far.Ready < far.Of)
			time.Sleep(time.Millisecond)
		}
	}()
	w.fitFive(t, ids)
	first := false
	require.Eventually(t, func() bool {
		if partly.Load() && !first && w.collector.TakingUp().Of > 1 { // a change of one device meanwhile does not wait for it
			first = true
			require.NoError(t, w.collector.Reload(t.Context(), ids[0]))
			assert.Equal(t, 1, w.asked(t, ids[:1]))
		}
		n := w.asked(t, ids[1:])
		require.Contains(t, []int{0, len(ids) - 1}, n, "all or none")
		return n > 0
	}, 20*time.Second, 5*time.Millisecond)
	assert.True(t, partly.Load(), "it took several turns")
	assert.Equal(t, domain.TakingUp{}, w.collector.TakingUp())
}

// One device for which the database refuses a series goes on as it was; the others do not wait for it.
func TestADeviceThatCannotBeChangedStopsNoOther(t *testing.T) {
	w, ids := fleet(t, 60)
	bad := ids[7]
	w.exec(t, fmt.Sprintf("ALTER TABLE series ADD CONSTRAINT none CHECK (kit <> 'five' OR device_id <> %d)", bad))
	w.fitFive(t, ids)
	require.Eventually(t, func() bool { return w.asked(t, ids) == len(ids)-1 }, 20*time.Second, 20*time.Millisecond)
	assert.Zero(t, w.asked(t, []domain.ID{bad}))
	assert.Equal(t, domain.TakingUp{Ready: 0, Of: 1}, w.collector.TakingUp(), "it is told that one is left")
	w.exec(t, "ALTER TABLE series DROP CONSTRAINT none")
	require.Eventually(t, func() bool { return w.asked(t, ids) == len(ids) }, 20*time.Second, 20*time.Millisecond)
	assert.Equal(t, domain.TakingUp{}, w.collector.TakingUp())
}

// A row that comes up while its device is ready, and waits for the others, is collected after it changed over.
func TestARowThatComesUpWithinAWaveIsNotLost(t *testing.T) {
	w, ids := fleet(t, 140)
	require.NoError(t, w.store.Fittings.Fit(t.Context(), domain.Fitting{DeviceID: w.device.ID, Kit: "interfaces"}))
	require.NoError(t, w.collector.Reload(t.Context(), w.device.ID))
	show := func(rows ...derive.Row) {
		w.fetcher.mu.Lock()
		defer w.fetcher.mu.Unlock()
		w.fetcher.answer = func(q way.Question, _ int) derive.Fetched {
			if q.Key == "interfaces/table" {
				return derive.Fetched{Rows: rows}
			}
			return derive.Fetched{Rows: []derive.Row{{Values: []derive.Value{num(0.01), num(0), num(0), num(0), num(0)}}}}
		}
	}
	show(port("1", "wan0", 6, 1))
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(t, func() bool { return w.series(t)["wan0/state"].State == domain.SeriesOK }, 10*time.Second, 20*time.Millisecond)
	w.fitFive(t, append(ids, w.device.ID))
	require.Eventually(t, func() bool { return w.collector.TakingUp().Ready > 0 }, 10*time.Second, time.Millisecond)
	show(port("1", "wan0", 6, 1), port("2", "lan1", 6, 1))
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(t, func() bool { return w.asked(t, ids) == len(ids) }, 30*time.Second, 20*time.Millisecond)
	assert.Equal(t, 1, w.asked(t, []domain.ID{w.device.ID}))
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(t, func() bool { return w.series(t)["lan1/state"].State == domain.SeriesOK }, 10*time.Second, 20*time.Millisecond)
}
