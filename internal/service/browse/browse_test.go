package browse

import (
	"context"
	"errors"
	"net/netip"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
	"tirelessowl/objects"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// fake is a device with some variables, and answers to questions one after the other.
type fake struct {
	vars    []mib.Variable
	fails   error
	answers []derive.Fetched
	asked   []way.Question
}

func (f *fake) Ask(_ context.Context, q way.Question) derive.Fetched {
	f.asked = append(f.asked, q)
	return f.answers[min(len(f.asked), len(f.answers))-1]
}

func (f *fake) Browse(_ context.Context, q way.Question, under, after mib.OID, most int) (read []mib.Variable, ended bool, err error) {
	f.asked = append(f.asked, q)
	for _, v := range f.vars {
		if !v.OID.Within(under) || v.OID.Compare(after) <= 0 {
			continue
		}
		if len(read) == most {
			return read, false, f.fails
		}
		read = append(read, v)
	}
	return read, true, f.fails
}

type pier struct {
	*Service
	kits   *collect.Service
	store  *store.Store
	device *fake
	id     domain.ID
}

func newPier(t *testing.T) pier {
	t.Helper()
	s := testkit.Store(t)
	all, err := mib.ReadAll(objects.Files)
	require.NoError(t, err)
	place, err := s.Places.Save(t.Context(), domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(t.Context(), domain.Device{PlaceID: place.ID, Name: "np-sw-1", CreatedAt: time.Now(),
		Address: netip.MustParseAddr("127.0.0.9")}, "", nil)
	require.NoError(t, err)
	p := pier{kits: testkit.Kits(t, s), store: s, device: &fake{}, id: d.ID}
	tree := mib.NewTree(all)
	p.Service = New(testkit.Desk(s), p.kits, p.device, func() *mib.Tree { return tree })
	p.apart = 0
	return p
}

func oid(t *testing.T, text string) mib.OID {
	t.Helper()
	o, err := mib.ParseOID(text)
	require.NoError(t, err)
	return o
}

func TestAWalkIsToldInWordsPieceByPiece(t *testing.T) {
	p := newPier(t)
	p.device.vars = []mib.Variable{
		{OID: oid(t, "1.3.6.1.2.1.2.2.1.8.1"), Value: mib.Value{Type: mib.Integer, Int: 1}},
		{OID: oid(t, "1.3.6.1.2.1.2.2.1.8.2"), Value: mib.Value{Type: mib.Integer, Int: 7}},
		{OID: oid(t, "1.3.6.1.2.1.4.34.1.3.1.4.192.0.2.9"), Value: mib.Value{Type: mib.Integer, Int: 2}},
		{OID: oid(t, "1.3.6.1.4.1.99999.5.0"), Value: mib.Value{Type: mib.Octets, Bytes: []byte("own")}},
	}
	first, err := p.Walk(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1"), nil, 3)
	require.NoError(t, err)
	require.Len(t, first.Lines, 3)
	assert.Equal(t, Line{OID: "1.3.6.1.2.1.2.2.1.8.2", Name: "ifOperStatus", Row: "2", Type: "Integer32", Value: "lowerLayerDown",
		Besides: "7", Known: true}, first.Lines[1])
	assert.Equal(t, "ipv4 · 192.0.2.9", first.Lines[2].Row)
	assert.Equal(t, "1.3.6.1.2.1.4.34.1.3.1.4.192.0.2.9", first.Next)
	rest, err := p.Walk(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1"), oid(t, first.Next), 3)
	require.NoError(t, err)
	require.Len(t, rest.Lines, 1)
	assert.False(t, rest.Lines[0].Known)
	assert.Equal(t, "own", rest.Lines[0].Value)
	assert.Empty(t, rest.Next)

	p.device.fails = errors.New("no answer from 127.0.0.9")
	broken, err := p.Walk(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1"), nil, 2)
	require.NoError(t, err)
	assert.Equal(t, "no answer from 127.0.0.9", broken.Problem)
	assert.Len(t, broken.Lines, 2, "what was read before is told")
	assert.NotEmpty(t, broken.Next, "it can go on from there")
	_, err = p.Walk(t.Context(), testkit.Anyone, p.id+1, oid(t, "1.3"), nil, 2)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

func TestTheWayAroundAnObject(t *testing.T) {
	p := newPier(t)
	n, err := p.Node(t.Context(), testkit.Anyone, oid(t, "1.3.6.1.2.1.2.2.1.8.17"))
	require.NoError(t, err)
	assert.Equal(t, "ifOperStatus", n.Name)
	assert.Equal(t, "17", n.Rest.String())
	assert.Empty(t, n.Below)
	assert.Len(t, n.Beside, 22, "the columns of its table")
	n, err = p.Node(t.Context(), testkit.Anyone, oid(t, "2.5"))
	require.NoError(t, err)
	assert.Empty(t, n.Name, "the top")
	assert.NotEmpty(t, n.Below)
}

// column makes an answer of the table of interfaces, in the order of the columns that are asked.
func (p pier) answers(t *testing.T, counts ...[2]uint64) {
	t.Helper()
	start := time.Now()
	for i, look := range counts {
		got := derive.Fetched{At: start.Add(time.Duration(i) * 10 * time.Second)}
		for row, kind := range []float64{24, 6} { // softwareLoopback, ethernetCsmacd
			got.Rows = append(got.Rows, derive.Row{Index: []string{"1", "2"}[row], Values: []derive.Value{
				{Kind: derive.Text, Text: []string{"1", "2"}[row]},
				{Kind: derive.Gauge, Num: kind},
				{Kind: derive.Text, Text: []string{"lo0", "port1"}[row]},
				{Kind: derive.Counter32, Count: look[row]},
			}})
		}
		p.device.answers = append(p.device.answers, got)
	}
}

// unfiltered makes such answers without the column of a condition.
func (p pier) unfiltered(t *testing.T, counts ...[2]uint64) {
	t.Helper()
	p.answers(t, counts...)
	for i := range p.device.answers {
		for n, row := range p.device.answers[i].Rows {
			p.device.answers[i].Rows[n].Values = slices.Delete(row.Values, 1, 2)
		}
	}
}

// 300 in 10 s are 30 a second; 8 times that are 240 bit/s.
func TestARehearsalTellsWhatWouldBeStored(t *testing.T) {
	p := newPier(t)
	d, err := p.Propose(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1.2.1.2.2.1.10"))
	require.NoError(t, err)
	assert.Equal(t, "bit/s", d.Unit)
	d.Rows.Where = "ifType != 24"
	p.device.asked = nil
	p.answers(t, [2]uint64{0, 1000}, [2]uint64{0, 1300}, [2]uint64{0, 1300})
	r, err := p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "", true)
	require.NoError(t, err)
	require.Len(t, p.device.asked, 3)
	var columns []string
	for _, c := range p.device.asked[0].Columns {
		columns = append(columns, c.As)
	}
	require.Equal(t, []string{"index", "ifType", "ifName", "reading ifinoctets"}, columns)
	require.Len(t, r.Rows, 2)
	assert.Equal(t, RowSeen{Index: "1", Name: "lo0", Why: "ifType is 24", Raw: "0",
		Values: []string{"0\u00a0bit/s", "0\u00a0bit/s"}}, r.Rows[0])
	assert.Equal(t, RowSeen{Index: "2", Name: "port1", Keeps: true, Why: "ifType is 6", Raw: "1300",
		Values: []string{"240\u00a0bit/s", "0\u00a0bit/s"}}, r.Rows[1])
	assert.Equal(t, 1, r.Kept)
	assert.Equal(t, 1, r.Left)
	assert.Equal(t, 1, r.Cost.Series)
	assert.InDelta(t, 1440, r.Cost.SamplesPerDay, 1e-9, "one a minute")
	assert.Empty(t, r.Cautions)
}

func TestARehearsalNoticesWhatDoesNotFit(t *testing.T) {
	p := newPier(t)
	d, err := p.Propose(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1.2.1.2.2.1.10"))
	require.NoError(t, err)
	d.Steps = nil
	d.Rows.Where = "ifType != 24"
	p.answers(t, [2]uint64{0, 1000})
	r, err := p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "", true)
	require.NoError(t, err)
	require.Len(t, r.Cautions, 1)
	assert.Equal(t, "rate", r.Cautions[0].Mend["steps"])

	p.device.answers = []derive.Fetched{{Error: "no answer"}}
	r, err = p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "", true)
	require.NoError(t, err)
	assert.Equal(t, "no answer", r.Problem)
	assert.Empty(t, r.Rows)

	d.Rows.Where = "ifTypo != 24"
	_, err = p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "", true)
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.Contains(t, errs["where"], "Character 1: there is no column “ifTypo”")
}

// A further column of a table that is collected already takes over how its rows are picked.
func TestAFurtherColumnTakesItsTableOver(t *testing.T) {
	p := newPier(t)
	d, err := p.Propose(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1.2.1.2.2.1.10"))
	require.NoError(t, err)
	d.Rows.Where, d.Rows.Every = "ifType == 6", 5*time.Minute
	_, err = p.kits.Pick(t.Context(), testkit.Anyone, p.id, d, "")
	require.NoError(t, err)
	next, err := p.Propose(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1.2.1.2.2.1.16"))
	require.NoError(t, err)
	assert.Equal(t, "ifType == 6", next.Rows.Where)
	assert.Equal(t, 5*time.Minute, next.Rows.Every)
}

func TestTextsAndStatesAreRehearsed(t *testing.T) {
	p := newPier(t)
	p.device.vars = []mib.Variable{{OID: oid(t, "1.3.6.1.2.1.33.1.2.1.0"), Value: mib.Value{Type: mib.Integer, Int: 2}}}
	d, err := p.Propose(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1.2.1.33.1.2.1"))
	require.NoError(t, err)
	assert.Equal(t, "1.3.6.1.2.1.33.1.2.1.0", d.OID, "the instance of a scalar")
	p.device.asked = nil
	p.device.answers = []derive.Fetched{{Rows: []derive.Row{{Values: []derive.Value{{Kind: derive.Gauge, Num: 2}}}}}}
	r, err := p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "", true)
	require.NoError(t, err)
	assert.Equal(t, []string{"batteryNormal", "batteryNormal"}, r.Rows[0].Values)
	d.Treat, d.Codes = own.Words, nil
	p.device.answers = []derive.Fetched{{Rows: []derive.Row{{Values: []derive.Value{{Kind: derive.Text, Text: "good"}}}}}}
	r, err = p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "", true)
	require.NoError(t, err)
	assert.Equal(t, []string{"good", "good"}, r.Rows[0].Values)
}

// 300 in 10 s are 30 a second, × 8 are 240, and 240 of a line of 2400 are 10 %.
func TestARehearsalTellsEachStep(t *testing.T) {
	p := newPier(t)
	d, err := p.Propose(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1.2.1.2.2.1.10"))
	require.NoError(t, err)
	d.Steps, d.Unit = append(d.Steps, own.OfLines("compute value / 2400 * 100")...), "%"
	p.device.asked = nil
	p.unfiltered(t, [2]uint64{0, 1000}, [2]uint64{0, 1000}, [2]uint64{600, 1300})
	r, err := p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "2", false)
	require.NoError(t, err)
	assert.Equal(t, "port1", r.Sample)
	assert.Equal(t, []StepSeen{{Value: "30"}, {Value: "240"}, {Value: "10"}}, r.Steps)
	assert.Len(t, p.device.asked, 3)

	d.Steps = own.OfLines("rate\nscale 4\nscale nothing")
	_, err = p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "", false)
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.Contains(t, errs["steps"], "Step 3: a number other than 0")

	d.Steps = own.OfLines("rate\nfind ([a-z]+)")
	r, err = p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "", false)
	require.NoError(t, err)
	assert.Len(t, p.device.asked, 3, "steps are tried on the looks of a moment ago")
	assert.Equal(t, "lo0", r.Sample, "the first row, where none is chosen")
	require.Len(t, r.Steps, 2)
	assert.Equal(t, "60", r.Steps[0].Value, "600 in 10 s")
	assert.Contains(t, r.Steps[1].Problem, "finds nothing")
	_, err = p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "", true)
	require.NoError(t, err)
	assert.Len(t, p.device.asked, 6, "unless it is asked afresh")
	p.recent.looks = nil
	_, err = p.Rehearse(t.Context(), testkit.Anyone, p.id, d, "", false)
	require.NoError(t, err)
	assert.Len(t, p.device.asked, 9)
}

// A formula over a reading that is picked already: errors a second for each 1000 octets a second.
func TestARehearsalKnowsOtherReadings(t *testing.T) {
	p := newPier(t)
	octets, err := p.Propose(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1.2.1.2.2.1.10"))
	require.NoError(t, err)
	octets.Steps, octets.Unit = own.OfLines("rate"), "B/s"
	_, err = p.kits.Pick(t.Context(), testkit.Anyone, p.id, octets, "")
	require.NoError(t, err)
	errors, err := p.Propose(t.Context(), testkit.Anyone, p.id, oid(t, "1.3.6.1.2.1.2.2.1.14"))
	require.NoError(t, err)
	errors.Steps, errors.Unit = own.OfLines(`rate
compute value / reading["ifinoctets"] * 1000`), ""
	start := time.Now()
	for i, n := range []uint64{0, 100, 200} { // 10 errors and 1000 octets a second
		values := []derive.Value{{Kind: derive.Text, Text: "7"}, {Kind: derive.Text, Text: "port7"},
			{Kind: derive.Counter32, Count: n * 100}, {Kind: derive.Counter32, Count: n}}
		p.device.answers = append(p.device.answers, derive.Fetched{At: start.Add(time.Duration(i) * 10 * time.Second),
			Rows: []derive.Row{{Index: "7", Values: values}}})
	}
	p.device.asked = nil
	r, err := p.Rehearse(t.Context(), testkit.Anyone, p.id, errors, "", true)
	require.NoError(t, err)
	assert.Equal(t, []string{"10", "10"}, r.Rows[0].Values, "of the same looks")
	assert.Equal(t, 1, r.Cost.Series, "what it costs by itself")

	key, err := p.kits.Pick(t.Context(), testkit.Anyone, p.id, errors, "")
	require.NoError(t, err)
	err = p.kits.Drop(t.Context(), testkit.Anyone, p.id, "ifinoctets", "")
	assert.ErrorContains(t, err, "It is needed to compute In errors")
	require.NoError(t, p.kits.Drop(t.Context(), testkit.Anyone, p.id, key, ""))
	require.NoError(t, p.kits.Drop(t.Context(), testkit.Anyone, p.id, "ifinoctets", ""))

	errors.Steps = own.OfLines(`rate
compute value / reading["reachability/nothing"]`)
	p.device.asked = nil
	r, err = p.Rehearse(t.Context(), testkit.Anyone, p.id, errors, "", true)
	require.NoError(t, err)
	assert.Contains(t, r.Rows[0].Values[1], "has no value now")
}
