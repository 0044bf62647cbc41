package engine

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

func TestAnOutcomeCountsAllThatItHolds(t *testing.T) {
	o := outcome{
		samples:     make([]domain.SeriesSample, 1),
		texts:       make([]domain.SeriesText, 2),
		states:      make([]domain.Series, 4),
		implausible: make([]domain.ImplausibleValue, 8),
		sources:     make([]domain.Source, 16),
		uptimes:     make([]uptimes, 32),
		faulty:      make([]domain.ID, 64),
	}
	assert.Equal(t, 127, o.size())
}

// Of two kits that call a reading the same only the one whose purpose it is tells
// whether a device answers.
func TestReachIsWhatItsKitSays(t *testing.T) {
	reaching := &kit.Kit{Name: "reachability", Readings: []kit.Reading{{Key: "loss", Purpose: kit.Reach}, {Key: "round_trip"}}}
	other := &kit.Kit{Name: "other", Readings: []kit.Reading{{Key: "loss"}}}
	b := &binding{sources: map[string]*sourceBinding{"reachability/s": {kit: reaching}, "other/s": {kit: other}}}
	for _, c := range []struct {
		kit, reading string
		reach        bool
	}{{"reachability", "loss", true}, {"reachability", "round_trip", false}, {"other", "loss", false}, {"gone", "loss", false}} {
		assert.Equal(t, c.reach, b.asWatched(domain.Series{Kit: c.kit, Reading: c.reading}, "").Reach, c)
	}
	b = &binding{sources: map[string]*sourceBinding{}, series: map[seriesKey]domain.Series{}}
	reaching.Readings[0].Source, reaching.Readings[1].Source, other.Readings[0].Source = "s", "t", "s"
	for _, k := range []*kit.Kit{reaching, other} {
		for _, r := range k.Readings {
			b.add([]domain.Series{{ID: 1, Kit: k.Name, Reading: r.Key}})
		}
	}
	b.bindSource(reaching, kit.Source{Key: "s"})
	b.bindSource(reaching, kit.Source{Key: "t"})
	b.bindSource(other, kit.Source{Key: "s"})
	assert.Equal(t, "reachability/s", b.reach)
}

func TestRowsThatVanishedNeedANewBinding(t *testing.T) {
	part := func(index string) domain.Part {
		return domain.Part{Called: "p" + index, Name: "p" + index, Index: index}
	}
	kb := &kindBinding{rows: map[string]*boundPart{"1": {part: part("1")}, "2": {part: part("2")}}}
	row := func(index string) collect.Row {
		return collect.Row{Row: derive.Row{Index: index}, Called: "p" + index, Name: "p" + index}
	}
	assert.False(t, kb.needsSync([]collect.Row{row("1"), row("2")}))
	assert.True(t, kb.needsSync([]collect.Row{row("1")}), "one is missing")
	assert.True(t, kb.needsSync([]collect.Row{row("1"), row("2"), row("3")}), "one is new")
}

func TestANewBindingInheritsByKind(t *testing.T) {
	kind := func(name string) *kindBinding { return &kindBinding{def: kit.Parts{Kind: name}} }
	old, fresh := &sourceBinding{
		kinds:  []*kindBinding{kind("port"), kind("fan")},
		failed: 2,
	}, &sourceBinding{
		kinds: []*kindBinding{kind("fan"), kind("port")},
	}
	old.kinds[0].known.Left = map[string]string{"1": "port1"}
	old.kinds[1].known.Left = map[string]string{"7": "fan7"}
	fresh.inherit(old)
	assert.Equal(t, 2, fresh.failed)
	assert.Equal(t, map[string]string{"7": "fan7"}, fresh.kinds[0].known.Left)
	assert.Equal(t, map[string]string{"1": "port1"}, fresh.kinds[1].known.Left)
}

// A text that a device does not have is absent where it need not, and a failure else.
func TestATextThatIsNotThereMayBeAbsent(t *testing.T) {
	for _, c := range []struct {
		optional bool
		row      []derive.Value
		status   domain.SeriesState
	}{
		{true, nil, domain.SeriesAbsent},
		{false, nil, domain.SeriesFailing},
		{true, []derive.Value{{Kind: derive.Text, Text: "pier"}}, domain.SeriesOK},
	} {
		bs := &boundSeries{id: 7, reading: kit.Reading{Text: true, Optional: c.optional}, formula: &derive.Formula{Columns: []int{0}}}
		var out outcome
		bs.keepText(&derive.Look{Row: derive.Row{Values: c.row}, Got: derive.Fetched{At: time.Now()}}, &out)
		assert.Equal(t, c.status, bs.status, c)
		assert.Len(t, out.texts, len(c.row))
	}
}

func TestOnlyNewsOfCollectingIsTold(t *testing.T) {
	bs := &boundSeries{id: 7}
	var out outcome
	for _, problem := range []string{"silent", "silent", "refused", "", ""} {
		bs.note(derive.Taken{OK: problem == "", Problem: problem}, &out)
	}
	var told []string
	for _, s := range out.states {
		told = append(told, string(s.State)+" "+s.Error)
	}
	assert.Equal(t, []string{"failing silent", "failing refused", "ok "}, told)
}

type answering derive.Fetched

func (a answering) Ask(context.Context, way.Question) derive.Fetched { return derive.Fetched(a) }

// What is broken off since we stop tells nothing; what came all the same does.
func TestWhatIsBrokenOffTellsNothing(t *testing.T) {
	stopping, cancel := context.WithCancel(t.Context())
	cancel()
	for _, c := range []struct {
		ctx     context.Context
		problem string
		told    int
	}{{stopping, "context canceled", 0}, {stopping, "", 1}, {t.Context(), "no answer", 1}} {
		x := &Collector{asker: answering{Error: c.problem, NoAnswer: c.problem != ""}, results: make(chan result, 1)}
		answers := x.fetch(c.ctx, way.Question{})
		assert.Len(t, x.results, c.told, c.problem)
		assert.Equal(t, c.problem == "" || c.told == 0, answers, c.problem)
		assert.Equal(t, int64(c.told), x.stats.fetches.Load())
	}
}

// An uptime counts from the begin of the exchange: 60 s at noon, which took 10 s, began
// 70 s before.
func TestAnUptimeCountsFromTheBeginOfTheExchange(t *testing.T) {
	noon := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	b, o := &binding{device: domain.Device{ID: 3}}, outcome{}
	got := derive.Fetched{At: noon, Took: 10 * time.Second, Uptime: 6000, UptimeKnown: true} // hundredths of a second
	b.learnUptimes(&sourceBinding{}, got, &o)
	assert.Len(t, o.uptimes, 1)
	assert.Equal(t, noon.Add(-70*time.Second), b.agent)
	b.learnUptimes(&sourceBinding{}, got, &o)
	assert.Len(t, o.uptimes, 1, "the same is no news")
}

func TestPartsOfOtherKindsStay(t *testing.T) {
	sb := &sourceBinding{kit: &kit.Kit{Name: "interfaces"}}
	kb := &kindBinding{def: kit.Parts{Kind: "interface"}}
	b := &binding{series: map[seriesKey]domain.Series{}, parts: []domain.Part{
		{ID: 1, Kit: "interfaces", Kind: "interface"}, {ID: 2, Kit: "interfaces", Kind: "fan"}, {ID: 3, Kit: "host", Kind: "interface"},
	}}
	b.takeUp(sb, kb, collect.Known{Parts: []domain.Part{{ID: 9, Kit: "interfaces", Kind: "interface"}}}, nil)
	var ids []domain.ID
	for _, p := range b.parts {
		ids = append(ids, p.ID)
	}
	assert.Equal(t, []domain.ID{2, 3, 9}, ids)
}

func TestPausesBeginWithATenthOfASecond(t *testing.T) {
	first := pauses().NextBackOff()
	assert.InDelta(t, 100, first.Milliseconds(), 50, "with chance in it: half as much more or less")
}

func TestWhatNoFurtherTryMendsIsReturned(t *testing.T) {
	tries := 0
	err := insist(t.Context(), func() error { tries++; return domain.ErrNotFound }, func(error, time.Duration) {})
	assert.ErrorIs(t, err, domain.ErrNotFound)
	assert.Equal(t, 1, tries)
	tries = 0
	err = insist(t.Context(), func() error {
		if tries++; tries < 3 {
			return context.DeadlineExceeded // such as a database that does not answer
		}
		return nil
	}, func(error, time.Duration) {})
	assert.NoError(t, err)
	assert.Equal(t, 3, tries)
}
