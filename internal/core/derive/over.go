package derive

// Over combines the values of several rows into one.
type Over string

// The ways to combine; OverFirst takes the first row.
const (
	OverFirst Over = "first"
	OverAvg   Over = "avg"
	OverSum   Over = "sum"
	OverMax   Over = "max"
)

// Combine folds values; ok is false when there is none.
func (o Over) Combine(values []float64) (value float64, ok bool) {
	if len(values) == 0 {
		return 0, false
	}
	value = values[0]
	for _, v := range values[1:] {
		switch o {
		case OverAvg, OverSum:
			value += v
		case OverMax:
			value = max(value, v)
		}
	}
	if o == OverAvg {
		value /= float64(len(values))
	}
	return value, true
}
