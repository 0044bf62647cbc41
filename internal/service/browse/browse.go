// Package browse lets people look at what a device tells of itself, object by object, and pick
// what is to be collected.
package browse

import (
	"context"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
)

// Device talks to devices; failures of a question are part of its result.
type Device interface {
	Ask(ctx context.Context, q way.Question) derive.Fetched
	Browse(ctx context.Context, q way.Question, under, after mib.OID, most int) (read []mib.Variable, ended bool, err error)
}

// Service is the use cases of browsing.
type Service struct {
	desk    *act.Desk
	kits    *collect.Service
	device  Device
	objects func() *mib.Tree
	apart   time.Duration // between the looks of a rehearsal
	recent  *recent
}

// New returns the service; objects are those that are described now.
func New(desk *act.Desk, kits *collect.Service, device Device, objects func() *mib.Tree) *Service {
	return &Service{desk, kits, device, objects, apart, &recent{}}
}

// snmp is the way by which devices are browsed.
const snmp = "snmp"

// patience bounds how long a piece of a walk may take; what was read until then is told.
const patience = 8 * time.Second

// MostVariables is how many variables one piece of a walk brings at most.
const MostVariables = 500

var look = act.Deed{Name: "browse a device", Area: domain.AreaCollect, Needs: domain.AccessOperate}

// Line is one variable in words.
type Line struct {
	OID  string `json:"oid"`
	Name string `json:"name"` // of its object
	// Row is the index of its row in words, or what stands behind the object.
	Row     string `json:"row"`
	Type    string `json:"type"`
	Value   string `json:"value"`
	Besides string `json:"besides,omitempty"` // such as the number behind a word
	Known   bool   `json:"-"`                 // its object is described
}

// Piece is a part of a walk.
type Piece struct {
	Lines []Line
	// Next is after what the walk goes on; empty where it has ended.
	Next string
	// Problem is what kept it from going on, in the protocol's own words.
	Problem string
	Took    time.Duration
}

// Walk reads a piece of what a device has below an object and after a name, nil for the beginning.
func (s *Service) Walk(ctx context.Context, who access.Actor, deviceID domain.ID, under, after mib.OID, most int) (p Piece, err error) {
	_, q, err := s.speak(ctx, who, deviceID)
	if err != nil {
		return p, err
	}
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	start := time.Now()
	read, ended, err := s.device.Browse(ctx, q, under, after, min(max(1, most), MostVariables))
	p.Took = time.Since(start)
	if err != nil {
		p.Problem = err.Error()
	}
	for _, v := range read {
		p.Lines = append(p.Lines, s.line(v))
	}
	if n := len(read); !ended && n > 0 {
		p.Next = read[n-1].OID.String()
	}
	return p, nil
}

// speak returns a device that the actor may browse, with a question to it.
func (s *Service) speak(ctx context.Context, who access.Actor, deviceID domain.ID) (d domain.Device, q way.Question, err error) {
	seen, err := s.desk.Reach(ctx, who, look)
	if err != nil {
		return d, q, err
	}
	if d, err = seen.Devices.One(ctx, deviceID); err != nil {
		return d, q, err
	}
	q, err = s.kits.Speak(ctx, d, snmp)
	return d, q, err
}

func (s *Service) line(v mib.Variable) Line {
	o, rest, _ := s.objects().Over(v.OID)
	l := Line{OID: v.OID.String(), Name: o.Name, Row: rest.String(), Type: string(v.Value.Type), Known: o.Valued()}
	if row, ok := s.objects().RowOf(o); ok {
		l.Row = s.objects().ShowIndex(row, rest)
	}
	l.Value, l.Besides = o.Show(v.Value), o.Unshown(v.Value)
	return l
}

// Node is an object with what is around it.
type Node struct {
	mib.Object
	Path  []mib.Object
	Below []mib.Object
	// Beside are those next below the one above, with itself.
	Beside []mib.Object
	// Rest is what was asked for beyond the object, such as an instance.
	Rest mib.OID
}

// Node returns the object with an identifier, or the nearest described one above. The zero node
// is the top.
func (s *Service) Node(ctx context.Context, who access.Actor, at mib.OID) (n Node, err error) {
	if _, err := s.desk.See(ctx, who, domain.AreaCollect); err != nil {
		return n, err
	}
	n.Object, n.Rest, _ = s.objects().Over(at)
	n.Path = s.objects().Path(n.OID)
	n.Below = s.objects().Below(n.OID)
	if up := len(n.Path) - 2; up >= 0 {
		n.Beside = s.objects().Below(n.Path[up].OID)
	}
	return n, nil
}

// mostFound is how many objects a search tells.
const mostFound = 50

// Search returns objects by a fragment of their name, words of their description, or number.
func (s *Service) Search(ctx context.Context, who access.Actor, text string) ([]mib.Object, error) {
	if _, err := s.desk.See(ctx, who, domain.AreaCollect); err != nil {
		return nil, err
	}
	return s.objects().Search(text, mostFound), nil
}

// Propose is how what stands at a name is best collected at a device: it is asked for once, to
// learn its type.
func (s *Service) Propose(ctx context.Context, who access.Actor, deviceID domain.ID, at mib.OID) (d own.Draft, err error) {
	_, q, err := s.speak(ctx, who, deviceID)
	if err != nil {
		return d, err
	}
	o, rest, _ := s.objects().Over(at)
	if o.Kind == mib.Scalar && len(rest) == 0 {
		rest = mib.OID{0}
	}
	var value mib.Value
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if read, _, err := s.device.Browse(ctx, q, at, nil, 1); err == nil && len(read) > 0 {
		value = read[0].Value
	}
	d = own.Propose(s.objects(), o, rest, value)
	picked, err := s.kits.Own(ctx, who, deviceID)
	if t, ok := picked.TableOf(d.Table); ok && d.Table != "" {
		d.Rows = t // its rows are picked and named already
	}
	d.Name = picked.FreeName(d.Name, d.Table)
	return d, err
}
