package derive

import (
	"testing"
	"time"
)

// One value of a counter in bit/s, as most of what a network tells is made.
func BenchmarkCounterInBits(b *testing.B) {
	f := plain(0, "rate", "scale 8")
	f.Every, f.Unit = time.Minute, "bit/s"
	var st State
	row := Row{Index: "1", Values: []Value{{Kind: Counter64}}}
	x := of(Fetched{}, row, &st, 125e6)
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		x.Got.At = t0.Add(time.Duration(i) * time.Second)
		row.Values[0].Count += 1000
		f.Apply(x)
	}
}

// The same by a formula in CEL.
func BenchmarkFormula(b *testing.B) {
	f := plain(0, "compute value * 8")
	x := of(Fetched{}, Row{Values: []Value{num(1000)}}, &State{}, 0)
	b.ReportAllocs()
	for b.Loop() {
		f.Apply(x)
	}
}
