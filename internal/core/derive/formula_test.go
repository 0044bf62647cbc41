package derive

import (
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/rate"
)

var t0 = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func (t Taken) all() (float64, bool, string) { return t.Value, t.OK, t.Problem }

// letters are columns called a, b, c … in their order.
var letters = Places{
	Of: func(name string) int {
		if len(name) != 1 {
			return -1
		}
		return int(name[0]) - 'a'
	},
	Names: []string{"a", "b", "c"},
}

// plain takes one column through steps, such as "scale 8".
func plain(column int, steps ...string) *Formula {
	var all []Written
	for _, step := range steps {
		do, with, _ := strings.Cut(step, " ")
		all = append(all, Written{do, with})
	}
	made, err := Compile(all, letters)
	if err != nil {
		panic(err)
	}
	return &Formula{Columns: []int{column}, Steps: made, Since: -1}
}

// of is a look at a row.
func of(got Fetched, row Row, st *State, ceiling float64) *Look {
	return &Look{Got: got, Row: row, State: st, Ceiling: ceiling}
}

func num(v float64) Value { return Value{Kind: Gauge, Num: v} }

func TestBytesBecomeBits(t *testing.T) {
	f := plain(0, "rate", "scale 8")
	var st State
	fetch := func(s int, count uint64) (float64, bool, string) {
		row := Row{Values: []Value{{Kind: Counter64, Count: count}}}
		return f.Apply(of(Fetched{At: t0.Add(time.Duration(s) * time.Second)}, row, &st, 0)).
			all()
	}
	_, ok, problem := fetch(0, 1_000_000)
	assert.False(t, ok)
	assert.Empty(t, problem, "the first look is not a problem")
	value, ok, _ := fetch(60, 1_750_000)
	assert.True(t, ok)
	assert.Equal(t, 100_000.0, value, "750000 B / 60 s × 8")
	_, ok, _ = fetch(60, 9_000_000)
	assert.False(t, ok, "no time has passed")
	value, _, _ = fetch(120, 2_500_000)
	assert.Equal(t, 100_000.0, value, "the ignored look left no trace")
}

// 2^32 octets take 34.4 s at 1 Gbit/s (125,000,000 B/s), 343 s at 100 Mbit/s.
func TestA32BitCounterOnAFastLineIsTold(t *testing.T) {
	f := plain(0, "rate", "scale 8")
	f.Every = time.Minute
	var st State
	look := func(minute int, kind Kind, ceiling float64) (bool, string) {
		got := Fetched{At: t0.Add(time.Duration(minute) * time.Minute)}
		_, ok, problem := f.Apply(of(got, Row{Values: []Value{{Kind: kind, Count: uint64(minute) * 1000}}}, &st, ceiling)).all()
		return ok, problem
	}
	for minute := range 3 {
		ok, problem := look(minute, Counter32, 125e6)
		assert.False(t, ok)
		assert.Equal(
			t,
			string(
				"with 1\u00a0Gbit/s this is too fast for its 32-bit counter at 1\u00a0min, which may pass its end more than "+
					"once in between: "+
					"let the device give its 64-bit counter, or collect it each 34\u00a0s",
			),
			problem,
		)
	}
	_, problem := look(3, Counter32, 12.5e9)
	assert.NotContains(t, problem, "or collect", "at 100 Gbit/s no interval helps")
	ok, problem := look(4, Counter32, 12.5e6)
	assert.True(t, ok, "100 Mbit/s are slow enough")
	assert.Empty(t, problem)
	ok, problem = look(10, Counter32, 12.5e6)
	assert.False(t, ok, "but not after six minutes of silence")
	assert.Empty(t, problem, "which is no failure of the port")
	st = State{}
	look(0, Counter64, 125e6)
	ok, _ = look(1, Counter64, 125e6)
	assert.True(t, ok, "a 64-bit counter has centuries")
}

func TestShareOfAWhole(t *testing.T) {
	share := plain(0, "percent_of b")
	bytes := plain(0, "times c")
	row := Row{Values: []Value{num(750), num(1000), num(4096)}}
	value, _, _ := share.Apply(of(Fetched{}, row, nil, 0)).all()
	assert.Equal(t, 75.0, value)
	value, _, _ = bytes.Apply(of(Fetched{}, row, nil, 0)).all()
	assert.Equal(t, 3_072_000.0, value, "750 × 4096")
}

func TestProblemsAreToldInWords(t *testing.T) {
	counter := plain(0, "rate")
	share := plain(0, "percent_of b")
	for want, c := range map[string]struct {
		f   *Formula
		row Row
	}{
		"does not give":       {plain(0), Row{Values: []Value{{}}}},
		"expected a number":   {plain(0), Row{Values: []Value{{Kind: Text, Text: "warm"}}}},
		"expected a counter":  {counter, Row{Values: []Value{num(5)}}},
		"missing or zero":     {share, Row{Values: []Value{num(5), num(0)}}},
		"not a finite number": {plain(0), Row{Values: []Value{num(math.Inf(1))}}},
	} {
		var st State
		_, ok, problem := c.f.Apply(of(Fetched{At: t0}, c.row, &st, 0)).all()
		assert.False(t, ok)
		assert.Contains(t, string(problem), want)
	}
}

func TestFirstPresentColumnWins(t *testing.T) {
	f := plain(0)
	f.Columns = []int{0, 1}
	value, _, _ := f.Apply(of(Fetched{}, Row{Values: []Value{{}, num(4)}}, nil, 0)).all()
	assert.Equal(t, 4.0, value)
	value, _, _ = f.Apply(of(Fetched{}, Row{Values: []Value{{Kind: Text, Text: " 21.5 "}, num(4)}}, nil, 0)).all()
	assert.Equal(t, 21.5, value, "digits in text are read")
}

func TestCombine(t *testing.T) {
	in := []float64{10, 30, 20}
	for over, want := range map[Over]float64{OverFirst: 10, OverAvg: 20, OverSum: 60, OverMax: 30} {
		got, ok := over.Combine(in)
		assert.True(t, ok)
		assert.Equal(t, want, got, over)
	}
	_, ok := OverAvg.Combine(nil)
	assert.False(t, ok)
}

func TestStateExplainsTheLastTwoLooks(t *testing.T) {
	f := plain(0, "rate", "scale 8")
	var st State
	_, ok := st.Why()
	assert.False(t, ok)
	look := func(s int, count uint64) {
		f.Apply(of(Fetched{At: t0.Add(time.Duration(s) * time.Second)}, Row{Values: []Value{{Kind: Counter32, Count: count}}}, &st, 125e6))
	}
	look(0, 4_294_967_000)
	trace, ok := st.Why()
	assert.True(t, ok)
	assert.Equal(t, "first", trace.Answer)
	look(10, 704) // 2^32 − 4294967000 + 704 = 1000: one wrap
	trace, _ = st.Why()
	assert.Equal(t, "wrapped", trace.Answer)
	look(10, 800)
	again, _ := st.Why()
	assert.Equal(t, trace, again, "a look without time leaves the explanation alone")
	look(60, 100) // 125 MB/s may fill at most 6.9e9 in 50 s: more than a round
	trace, _ = st.Why()
	assert.Equal(t, "ambiguous", trace.Answer)
}

func TestQuotientsHaveSixDigits(t *testing.T) {
	for in, want := range map[float64]float64{
		0: 0, 1.0 / 3: 0.333333, 2e9 / 3: 666667000, -123456.5: -123457, 1e-290 / 3: 3.33333e-291, 999999.5: 1e6, 75: 75,
		0.1 + 0.2: 0.3, 1e-310: 0,
	} {
		assert.Equal(t, want, Significant(in), in)
	}
	third := plain(0, "percent_of b")
	value, _, _ := third.Apply(of(Fetched{}, Row{Values: []Value{num(1), num(3)}}, nil, 0)).all()
	assert.Equal(t, 33.3333, value)
	value, _, _ = plain(0).Apply(of(Fetched{}, Row{Values: []Value{num(1.23456789)}}, nil, 0)).all()
	assert.Equal(t, 1.23456789, value, "what the device says itself is left alone")
}

// The first column may be a factor or a whole, too, and a row may be short.
func TestColumnsAtTheEdges(t *testing.T) {
	row := Row{Values: []Value{num(2000), num(500)}}
	value, ok, _ := plain(1, "percent_of a").Apply(of(Fetched{}, row, nil, 0)).all()
	assert.True(t, ok)
	assert.Equal(t, 25.0, value, "500 of 2000")
	value, _, _ = plain(1, "times a").Apply(of(Fetched{}, row, nil, 0)).all()
	assert.Equal(t, 1_000_000.0, value, "500 × 2000")
	value, ok, _ = (&Formula{Columns: []int{2, 1}, Since: -1}).Apply(of(Fetched{}, row, nil, 0)).all()
	assert.True(t, ok, "a column that the row does not have is passed over")
	assert.Equal(t, 500.0, value)
	_, ok, problem := plain(2).Apply(of(Fetched{}, row, nil, 0)).all()
	assert.False(t, ok)
	assert.NotEmpty(t, problem)
	third := Row{Values: []Value{num(3000), num(1000)}}
	value, _, _ = plain(1, "percent_of a").Apply(of(Fetched{}, third, nil, 0)).all()
	assert.Equal(t, 33.3333, value, "a quotient has six digits")
	value, _, _ = plain(0).Apply(of(Fetched{}, Row{Values: []Value{num(1.0 / 3)}}, nil, 0)).all()
	assert.Equal(t, 1.0/3, value, "what is no quotient is kept as it is")
}

// A port that is switched off is so, whatever its cable does.
func TestAnotherColumnMayForceAValue(t *testing.T) {
	f := plain(0)
	f.State, f.Instead = true, []Instead{{Column: 1, Says: []string{"2", "3"}, Value: 8}}
	for _, c := range []struct{ admin, want float64 }{{1, 2}, {2, 8}, {3, 8}} {
		got := f.Apply(of(Fetched{}, Row{Values: []Value{num(2), num(c.admin)}}, nil, 0))
		assert.True(t, got.OK)
		assert.Equal(t, c.want, got.Value)
	}
	got := f.Apply(of(Fetched{}, Row{Values: []Value{num(2)}}, nil, 0))
	assert.Equal(t, 2.0, got.Value, "a column that is not there forces nothing")
}

// Since when a counter counts is a sysUpTime: 32 bits of hundredths of a second.
func TestInstancesOfCounters(t *testing.T) {
	row := func(values ...Value) Row { return Row{Index: "5", Values: values} }
	f := Formula{Since: 0}
	for _, c := range []struct {
		row   Row
		since uint32
		known bool
	}{
		{row(num(0)), 0, true}, {row(num(math.MaxUint32)), math.MaxUint32, true}, {row(num(math.MaxUint32 + 1)), 0, false},
		{row(num(-1)), 0, false}, {row(Value{}), 0, false}, {row(), 0, false},
	} {
		assert.Equal(t, rate.Instance{Index: "5", Since: c.since, SinceKnown: c.known}, f.instance(c.row))
	}
	f.Since = -1
	assert.Equal(t, rate.Instance{Index: "5"}, f.instance(row(num(7))), "the kit knows of no such column")
}

// 90 blocks in use and 5 that programs can still have, of 100 of which 5 are
// reserved: 90 ÷ (90 + 5) = 94.7368 %.
func TestShareOfItselfAndTheRest(t *testing.T) {
	f := plain(0, "share_with b")
	number := func(v float64) Value { return Value{Kind: Gauge, Num: v} }
	value, ok, _ := f.Apply(of(Fetched{}, Row{Values: []Value{number(90), number(5)}}, nil, 0)).all()
	assert.True(t, ok)
	assert.InDelta(t, 94.7368, value, 1e-9)
	_, ok, problem := f.Apply(of(Fetched{}, Row{Values: []Value{number(0), number(0)}}, nil, 0)).all()
	assert.False(t, ok)
	assert.Contains(t, problem, "total")
	_, ok, problem = f.Apply(of(Fetched{}, Row{Values: []Value{number(90), {}}}, nil, 0)).all()
	assert.False(t, ok)
	assert.Contains(t, problem, "what is left is missing")
}
