package derive

import (
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// made is what steps make of a value, or why they make nothing.
func made(v Value, steps ...string) (Value, string) {
	f := plain(0, steps...)
	out, passed := f.Trace(of(Fetched{At: t0}, Row{Values: []Value{v, num(5), num(0)}}, &State{}, 0))
	if len(passed) == 0 {
		return out, ""
	}
	return passed[len(passed)-1].Value, passed[len(passed)-1].Problem
}

func text(s string) Value { return Value{Kind: Text, Text: s} }

func TestEachStepDoesWhatItSays(t *testing.T) {
	for _, c := range []struct {
		in    Value
		steps string
		want  Value
	}{
		{num(5), "scale 8", num(40)},
		{num(5), "scale 0,5", num(2.5)},
		{text(" 21 "), "scale 2", num(42)},
		{num(300), "offset -273.15", num(26.85)}, // 300 K
		{num(120), "clamp 0..100", num(100)},
		{num(-3), "clamp 0..100", num(0)},
		{num(-3), "clamp ..100", num(-3)},
		{num(7), "clamp 10..", num(10)},
		{num(3), "times b", num(15)},
		{num(3), "percent_of b", num(60)},
		{num(15), "share_with b", num(75)}, // 15 of 15 + 5
		{text("ok"), "map ok=1, failed=2", num(1)},
		{num(2), "map 1=up, 2=down", text("down")},
		{text("odd"), "map ok=1, *=0", num(0)},
		{text("up 3 days, load=0.42 0.10"), `find load=([0-9.]+)`, text("0.42")},
		{text("release 6.2"), `find [0-9]+\.[0-9]+`, text("6.2")},
		{text(`{"system":{"load":[0.5,0.25]}}`), "json $.system.load[1]", num(0.25)},
		{text(`{"pools":[{"name":"a","used":1},{"name":"b","used":7}]}`), `json $.pools[?@.name=='b'].used`, num(7)},
		{text(`{"up":true}`), "json $.up", text("true")},
		{text(`{"state":"ready"}`), "json $..state", text("ready")},
		{text(`<status><load unit="x">0.7</load></status>`), "xml /status/load", text("0.7")},
		{text(`<status><load unit="x">0.7</load></status>`), "xml //load/@unit", text("x")},
		{text(`<s><a>1</a><a>2</a></s>`), "xml count(/s/a)", num(2)},
		{text(`<s><a>1</a><a>2</a></s>`), "xml sum(/s/a)", num(3)},
		{text(`<s><a>1</a><b>2</b></s>`), "xml //b/preceding-sibling::a", text("1")},
		{text(`<s><a>1</a><a>2</a></s>`), "xml /s/a[last()]", text("2")},
		{num(123456), "decode ticks", num(1234.56)},
		{text("42 kB of 64"), "decode number", num(42)},
		{text("-1.5e3 V"), "decode number", num(-1500)},
		{text("0x1F"), "decode hex", num(31)},
		{text("00155d01020a"), "decode mac", text("00:15:5d:01:02:0a")},
		{text("ABCDEF"), "decode mac", text("41:42:43:44:45:46")},
		{text("ABCDE"), "decode mac", text("41:42:43:44:45:00")}, // its zero at the end was taken for padding
		// RFC 2579: 1992-5-26,13:30:15.0,-4:0, which is 17:30:15 in UTC
		{text("07c8051a0d1e0f002d0400"), "decode date", text("1992-05-26T17:30:15Z")},
		{text("07c8051a0d1e0f00"), "decode date", text("1992-05-26T13:30:15Z")},
		// t0 is 2026-11-23 12:00 UTC; half an hour before: 11:30
		{text("07ea0b170b1e0000"), "decode age", num(1800)},
		{num(6), "compute value * 2 + b", num(17)},
		{num(6), "compute value > 5 ? 1 : 0", num(1)},
		{num(-6), "compute math.abs(value)", num(6)},
	} {
		got, problem := made(c.in, c.steps)
		assert.Empty(t, problem, c.steps)
		if c.want.Kind == Gauge {
			assert.Equal(t, Gauge, got.Kind, c.steps)
			assert.InDelta(t, c.want.Num, got.Num, 1e-9, c.steps)
			continue
		}
		assert.Equal(t, c.want, got, c.steps)
	}
}

func TestStepsTellWhatTheyCannotDo(t *testing.T) {
	for _, c := range []struct {
		in          Value
		steps, want string
	}{
		{text("warm"), "scale 8", "expected a number, got the text “warm”"},
		{num(3), "percent_of c", "missing or zero"},
		{text("odd"), "map ok=1", "nothing is said of “odd”"},
		{text("quiet"), "find load=(.*)", "finds nothing in “quiet”"},
		{text("{"), "json $.a", "it is no JSON"},
		{text(`{"b":1}`), "json $.a", "finds nothing"},
		{text(`{"a":null}`), "json $.a", "leads to null"},
		{text("<a>"), "xml /a", "it is no XML"},
		{text(strings.Repeat("[", 101) + strings.Repeat("]", 101)), "json $..*", "more than 100 deep"},
		{text(`["` + strings.Repeat("[", 101) + `\""]`), "json $.a", "finds nothing"},
		{text("<a/>"), "xml /b", "finds nothing"},
		{text(strings.Repeat("x", 70_000)), "find x", "at most 65536"},
		{text("none"), "decode number", "there is no number"},
		{text("0102"), "decode mac", "00"}, // letters, which are fewer bytes: 30:31:30:32:00:00
		{text("0123456789"), "decode mac", "it has not 6 bytes"},
		{text("07ea0d170b1e0000"), "decode date", "it is no date"}, // month 13
		{text("xyz"), "decode hex", "is no hexadecimal number"},
		{num(1), `compute value / reading["gone"]`, "the reading “gone” has no value now"},
		{num(1), "rate", "expected a counter"},
		{text("<r>" + strings.Repeat("<a/>", 15_000) + "</r>"), "xml //a[count(../a) = 0]", "takes too long"},
		{num(1), "change", "waits"},
	} {
		got, problem := made(c.in, c.steps)
		assert.Contains(t, problem+got.Text, c.want, c.steps)
	}
}

func TestStepsThatCannotBeTakenAreTold(t *testing.T) {
	for steps, want := range map[string]string{
		"scale 0":                              "a number other than 0",
		"scale eight":                          "a number other than 0",
		"offset x":                             "a number such as",
		"clamp 5":                              "two bounds",
		"clamp 9..1":                           "two bounds",
		"clamp ..":                             "two bounds",
		"times z1":                             "there is no column “z1”",
		"map ok":                               "is no pair",
		"map a=1, a=2":                         "stands there twice",
		"map":                                  "pairs such as",
		"find (":                               "missing closing",
		"find":                                 "something to find it by",
		"find " + strings.Repeat("a", 301):     "at most 300",
		"json load":                            "",
		"json $..a..b":                         "could take too long",
		"json $[?@[?@.a]]":                     "could take too long",
		"json $[0,0]":                          "could take too long",
		"json $[?@.a == $.b]":                  "could take too long",
		"xml /a[":                              "it is no path",
		"decode colour":                        "one of number, ticks",
		"compute value +":                      "character",
		"compute nothing * 2":                  "there is no column “nothing”",
		"compute value > 2":                    "comes out as bool",
		"compute reading[string(value)]":       "named by its key",
		"rate fast":                            "nothing goes with it",
		"colour":                               "there is no step “colour”",
		"compute " + strings.Repeat("1", 2500): "at most 2000",
	} {
		do, with, _ := strings.Cut(steps, " ")
		_, err := Compile([]Written{{Do: "offset", With: "1"}, {do, with}}, letters)
		var m Misstep
		require.ErrorAs(t, err, &m, steps)
		assert.Equal(t, 1, m.At)
		assert.Contains(t, m.Text, want, steps)
		assert.Contains(t, err.Error(), "step 2: ")
	}
	_, err := Compile([]Written{{Do: "rate"}, {Do: "change"}}, letters)
	assert.ErrorContains(t, err, "only once")
	_, err = Compile(make([]Written, 21), letters)
	assert.ErrorContains(t, err, "at most 20")
}

// Bytes as bits, then as a share of a line of 1 Gbit/s, which stands in the table: in 60 s
// 750,000,000 bytes are 100 Mbit/s, which is 10 %.
func TestStepsGoInTheirOrder(t *testing.T) {
	f := plain(0, "rate", "scale 8", "percent_of b", "clamp 0..100")
	var st State
	look := func(s int, bytes uint64) *Look {
		row := Row{Values: []Value{{Kind: Counter64, Count: bytes}, num(1e9)}}
		return of(Fetched{At: t0.Add(time.Duration(s) * time.Second)}, row, &st, 0)
	}
	assert.Equal(t, Taken{}, f.Apply(look(0, 0)), "a first look")
	assert.Equal(t, Taken{Value: 10, OK: true}, f.Apply(look(60, 750_000_000)))
	raw, passed := f.Trace(look(120, 1_500_000_000))
	assert.Equal(t, uint64(1_500_000_000), raw.Count)
	var seen []float64
	for _, p := range passed {
		seen = append(seen, p.Value.Num)
	}
	assert.Equal(t, []float64{12_500_000, 100_000_000, 10, 10}, seen)
	assert.Equal(t, []string{"b"}, f.Steps.Columns())
	assert.True(t, f.Steps.Counts())
}

// 4294967000 to 704 is 1000 counts by way of 2^32; a gauge may fall.
func TestAChangeIsAllThatCame(t *testing.T) {
	f := plain(0, "change")
	var st State
	look := func(s int, v Value) Taken {
		return f.Apply(of(Fetched{At: t0.Add(time.Duration(s) * time.Second)}, Row{Values: []Value{v}}, &st, 0))
	}
	counter := func(n uint64) Value { return Value{Kind: Counter32, Count: n} }
	assert.False(t, look(0, counter(4_294_967_000)).OK)
	assert.Equal(t, Taken{Value: 1000, OK: true}, look(10, counter(704)))
	st = State{}
	assert.False(t, look(0, num(20)).OK)
	assert.Equal(t, Taken{Value: -5, OK: true}, look(10, num(15)))
	assert.Equal(t, Taken{Value: 0, OK: true}, look(20, num(15)))
	assert.Contains(t, look(30, text("warm")).Problem, "expected a number")
	assert.Equal(t, Taken{Value: 1, OK: true}, look(40, num(16)), "since the last number")
}

func TestFormulasReadOtherReadings(t *testing.T) {
	f := plain(0, `compute (value + reading["in"]) / reading["other/total"] * 100`)
	assert.Equal(t, []string{"in", "other/total"}, f.Steps.Readings())
	have := map[string]float64{"in": 20, "other/total": 200}
	x := of(Fetched{}, Row{Values: []Value{num(30)}}, nil, 0)
	x.Reading = func(key string) (float64, bool) { n, ok := have[key]; return n, ok }
	assert.Equal(t, Taken{Value: 25, OK: true}, f.Apply(x), "(30 + 20) ÷ 200")
	delete(have, "in")
	assert.Contains(t, f.Apply(x).Problem, "“in” has no value now")
	have["in"], have["other/total"] = 1, 0
	assert.Contains(t, f.Apply(x).Problem, "not a finite number")
}

func TestTextsAndStatesMayHaveSteps(t *testing.T) {
	f := plain(0, "json $.version")
	got, ok, _ := f.Text(of(Fetched{}, Row{Values: []Value{text(`{"version":"6.2"}`)}}, nil, 0))
	assert.True(t, ok)
	assert.Equal(t, "6.2", got)
	_, ok, problem := f.Text(of(Fetched{}, Row{Values: []Value{text(`{}`)}}, nil, 0))
	assert.False(t, ok)
	assert.Contains(t, problem, "finds nothing")
	_, ok, problem = plain(0, "rate").Text(of(Fetched{}, Row{Values: []Value{{Kind: Counter32}}}, &State{}, 0))
	assert.False(t, ok)
	assert.Empty(t, problem, "it waits")
	f = plain(0, "map ready=1, busy=2")
	f.State = true
	assert.Equal(t, Taken{Value: 2, OK: true}, f.Apply(of(Fetched{}, Row{Values: []Value{text("busy")}}, nil, 0)))
	f = plain(0, "find (.*)")
	f.State = true
	assert.Contains(t, f.Apply(of(Fetched{}, Row{Values: []Value{text("2")}}, nil, 0)).Problem, "the number of a state",
		"a text is never taken for one by itself")
}

// A line of 1 Gbit/s is 125,000,000 bytes a second; twice that is believed, more is not.
func TestOnlyFactorsKeepToTheSpeedOfALine(t *testing.T) {
	for steps, want := range map[string]float64{
		"rate|scale 8": 8, "rate": 1, "rate|scale 4|scale 2": 8,
		"scale 8|rate": 0, "rate|scale 8|offset 1": 0, "change|scale 8": 0, "scale 8": 0,
	} {
		assert.Equal(t, want, plain(0, strings.Split(steps, "|")...).Steps.line, steps)
	}
	f := plain(0, "rate", "scale 8")
	f.Unit = "bit/s"
	f.Can.Low, f.Can.High = 0, math.Inf(1)
	assert.InDelta(t, 2e9, f.can(125e6).High, 1)
}

// Whatever a device says and whatever is written, a step answers or says why not.
func FuzzSteps(f *testing.F) {
	f.Add("json", "$.a[?@.b==1].c", `{"a":[{"b":1,"c":2}]}`)
	f.Add("xml", "/a/b[@c='1']", `<a><b c="1">x</b></a>`)
	f.Add("compute", "value / b", "7")
	f.Add("decode", "date", "07ea0b170b1e0000")
	f.Add("map", "a=1,*=2", "a")
	f.Fuzz(func(t *testing.T, do, with, in string) {
		steps, err := Compile([]Written{{do, with}}, letters)
		if err != nil {
			return
		}
		g := Formula{Columns: []int{0}, Steps: steps, Since: -1}
		got := g.Apply(of(Fetched{At: t0}, Row{Values: []Value{text(in), num(5), num(0)}}, &State{}, 0))
		if got.OK && (math.IsNaN(got.Value) || math.IsInf(got.Value, 0)) {
			t.Fatalf("%v", got)
		}
	})
}
