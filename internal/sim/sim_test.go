package sim

import (
	"bufio"
	"bytes"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var origin = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func estate() *Estate { return NewEstate(netip.MustParseAddr("127.77.0.0"), origin) }

func TestEstateHasItsDevices(t *testing.T) {
	e := estate()
	assert.InDelta(t, 75, len(e.Devices), 5)
	for _, d := range e.Devices {
		if d.Via != "" {
			assert.NotNil(t, e.byName[d.Via], "%s is reached through %s", d.Name, d.Via)
		}
		for i := 1; i < len(d.tree.objects); i++ {
			assert.NotEqual(t, d.tree.objects[i-1].name, d.tree.objects[i].name, d.Name)
		}
	}
	assert.Equal(t, e.byName["hq-core-1"], e.Find(netip.MustParseAddr("127.77.10.101")))
}

// A counter that went back by itself would look like a reset.
func TestCountersNeverGoBack(t *testing.T) {
	for _, d := range estate().Devices {
		for _, o := range d.tree.objects {
			if o.kind != gosnmp.Counter64 && !(o.kind == gosnmp.Counter32 && strings.HasPrefix(o.name, "."+mibIfTable+"14.")) {
				continue
			}
			before := o.read(origin.Add(-24 * time.Hour)).count
			for m := range 200 {
				now := o.read(origin.Add(-24*time.Hour + time.Duration(m)*7*time.Minute)).count
				require.GreaterOrEqual(t, now, before, "%s %s", d.Name, o.name)
				before = now
			}
		}
	}
}

func TestPulsesAddUp(t *testing.T) {
	// One pulse of 100 B/s for 60 s on Monday 00:10, seen over two weeks
	// from a Monday: 2 × 6000 bytes.
	f := traffic{pulses: []pulse{{600, 60, 100}}}
	start := 2000*week + monday
	assert.InDelta(t, 12000, f.total(start+2*week)-f.total(start), 1e-3)
	assert.InDelta(t, 3000, f.total(start+630)-f.total(start), 1e-3, "half a pulse")
}

func TestLogVolumeIsFullInNineDays(t *testing.T) {
	e := estate()
	used := e.dataVolumes("log-1", 1)[0].used
	assert.InDelta(t, 0.83, used(seconds(origin)), 0.01)
	assert.InDelta(t, 0.998, used(seconds(origin)+9*day), 0.005)
}

func TestDrillsSilenceAndMend(t *testing.T) {
	e := estate()
	kiosk, edge := e.byName["sh-kiosk-1"], e.byName["np-edge-1"]
	fault, err := e.faults.add(Fault{Kind: FaultCut, Target: "Sandhaven"}, origin)
	require.NoError(t, err)
	_, err = e.faults.add(Fault{Kind: FaultCut, Target: "Sandhaven"}, origin)
	assert.Error(t, err, "twice")
	assert.False(t, kiosk.Answers(origin))
	assert.True(t, edge.Answers(origin))
	e.faults.remove(fault.ID, origin)
	assert.True(t, kiosk.Answers(origin))

	log := e.byName["log-1"]
	fill, _ := e.faults.add(Fault{Kind: FaultFill, Target: "log-1", Volume: "/data"}, origin)
	assert.Equal(t, 0.5, e.faults.filled(log, "/data", origin.Add(45*time.Second)), "half of 90 s")
	e.faults.remove(fill.ID, origin.Add(45*time.Second))
	assert.Equal(t, 0.0, e.faults.filled(log, "/data", origin.Add(90*time.Second)))
}

func TestRestartBeginsAnew(t *testing.T) {
	d := estate().byName["np-edge-1"]
	assert.Greater(t, d.uptime(origin).count, uint64(20*24*3600*100))
	d.restart.Store(origin.UnixNano())
	assert.Equal(t, uint64(6000), d.uptime(origin.Add(time.Minute)).count, "60 s are 6000 hundredths")
	o := d.tree.get("." + mibIfX + "6.2")
	assert.Less(t, o.read(origin.Add(time.Minute)).count, uint64(100e6))
}

// The history must say what an agent would have answered at that moment.
func TestHistoryJoinsThePresent(t *testing.T) {
	d := estate().byName["np-edge-1"]
	var buf bytes.Buffer
	require.NoError(t, d.writeHistory(&buf, origin.Add(-2*time.Minute), origin, time.Minute))
	lines := bufio.NewScanner(&buf)
	lines.Buffer(nil, 1<<20)
	lines.Scan()
	assert.Contains(t, lines.Text(), `"fixed":"np-edge-1"`)
	lines.Scan()
	lines.Scan()
	fields := strings.Split(lines.Text(), ",")
	assert.Equal(t, "1", fields[1])
	assert.Len(t, fields, 4+strings.Count(lines.Text(), ",")-3)
}
