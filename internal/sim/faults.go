package sim

import (
	"fmt"
	"sort"
	"sync"
	"time"
)

// Fault is one thing broken on purpose.
type Fault struct {
	ID     int       `json:"id"`
	Kind   string    `json:"kind"` // one of the kinds below
	Target string    `json:"target"`
	Volume string    `json:"volume,omitempty"`
	Mode   string    `json:"mode,omitempty"` // of a service: one of those that it has
	Since  time.Time `json:"since"`
}

// The kinds of fault.
const (
	FaultStop         = "stop"
	FaultCut          = "cut"
	FaultFill         = "fill"
	FaultDeskRefuses  = "desk-refuses"
	FaultDeskHangs    = "desk-hangs"
	FaultDeskNonsense = "desk-nonsense"
	FaultMailRefuses  = "mail-refuses"
	FaultMailThinks   = "mail-thinks"   // it takes a message and answers long after
	FaultMailHangsUp  = "mail-hangs-up" // it takes a message and leaves without a farewell
	FaultDeskLies     = "desk-lies"     // it does what it is asked and says that it failed
	FaultService      = "service"       // a service fails in a mode
)

// fillTime is how long a volume takes to fill, or to be cleaned, in a drill.
const fillTime = 90 * time.Second

type faults struct {
	mu     sync.RWMutex
	active map[int]Fault
	mended map[string]mending // by device and volume
	nextID int
}

type mending struct {
	at    time.Time
	level float64
}

func newFaults() *faults { return &faults{active: map[int]Fault{}, mended: map[string]mending{}} }

// add breaks something; breaking it twice is refused.
func (f *faults) add(fault Fault, now time.Time) (Fault, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, x := range f.active {
		if x.Kind == fault.Kind && x.Target == fault.Target && x.Volume == fault.Volume && x.Mode == fault.Mode {
			return Fault{}, fmt.Errorf("that is broken already")
		}
	}
	f.nextID++
	fault.ID, fault.Since = f.nextID, now
	f.active[fault.ID] = fault
	return fault, nil
}

// mode is in which mode a service fails, of several the one that was begun last; empty where it does not.
func (f *faults) mode(service string) string {
	f.mu.RLock()
	defer f.mu.RUnlock()
	last := Fault{}
	for _, x := range f.active {
		if x.Kind == FaultService && x.Target == service && x.ID > last.ID {
			last = x
		}
	}
	return last.Mode
}

// broken tells whether a service fails in a mode, whatever else is the matter with it.
func (f *faults) broken(service, mode string) bool {
	f.mu.RLock()
	defer f.mu.RUnlock()
	for _, x := range f.active {
		if x.Kind == FaultService && x.Target == service && x.Mode == mode {
			return true
		}
	}
	return false
}

// remove mends something; ok is false when there is no such fault.
func (f *faults) remove(id int, now time.Time) (Fault, bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	fault, ok := f.active[id]
	if ok && fault.Kind == FaultFill {
		f.mended[fault.Target+"\x00"+fault.Volume] = mending{now, progress(now, fault.Since)}
	}
	delete(f.active, id)
	return fault, ok
}

func (f *faults) list() []Fault {
	f.mu.RLock()
	defer f.mu.RUnlock()
	out := make([]Fault, 0, len(f.active))
	for _, x := range f.active {
		out = append(out, x)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].ID < out[j].ID })
	return out
}

func (f *faults) has(kind string) bool {
	f.mu.RLock()
	defer f.mu.RUnlock()
	for _, x := range f.active {
		if x.Kind == kind {
			return true
		}
	}
	return false
}

// silent tells whether a drill stopped the device or cut its place off.
func (f *faults) silent(d *Device) bool {
	f.mu.RLock()
	defer f.mu.RUnlock()
	for _, x := range f.active {
		if x.Kind == FaultStop && x.Target == d.Name || x.Kind == FaultCut && x.Target == d.Place {
			return true
		}
	}
	return false
}

// filled returns how far a drill has filled a volume, 0 to 1.
func (f *faults) filled(d *Device, vol string, now time.Time) float64 {
	f.mu.RLock()
	defer f.mu.RUnlock()
	for _, x := range f.active {
		if x.Kind == FaultFill && x.Target == d.Name && x.Volume == vol {
			return progress(now, x.Since)
		}
	}
	if m, ok := f.mended[d.Name+"\x00"+vol]; ok {
		return max(0, m.level-progress(now, m.at))
	}
	return 0
}

func progress(now, since time.Time) float64 {
	return clamp(now.Sub(since).Seconds()/fillTime.Seconds(), 0, 1)
}
