package samples

import (
	"context"
	"slices"

	"tirelessowl/internal/core/codec"
)

// monthDays is how many days a row of the daily rollup and of runs holds.
const monthDays = 28

func monthOf(day int) int { return day - ((day%monthDays)+monthDays)%monthDays }

// month is how days are put into rows that hold many of them.
type month[T any] struct {
	table  table
	decode func(dst []T, data []byte) ([]T, error)
	encode func(items []T) []byte
	begin  func(T) int64 // in milliseconds
	fresh  map[dayKey][]T
}

// months makes the rows of the daily rollup and of runs that days belong to.
func (w *dayWriter) months(ctx context.Context, f folded, set []dayPoints, plans map[int64]Plan) (err error) {
	var numbers, states []dayPoints
	for _, d := range set {
		if !plans[d.series].NoRollups {
			numbers = append(numbers, d)
		}
		if plans[d.series].Runs > 0 {
			states = append(states, d)
		}
	}
	f.rows[rollup1d], err = merge(ctx, w, numbers, plans, month[codec.Rollup]{
		table: rollup1d, decode: w.dec.AppendRollups,
		encode: func(rollups []codec.Rollup) []byte { return w.enc.AppendRollups(nil, rollups, dayMillis) },
		begin:  func(x codec.Rollup) int64 { return x.T },
		fresh:  f.days,
	})
	if err != nil {
		return err
	}
	// Runs end with the day, so that a day can be replaced; readers join them.
	f.rows[runsTable], err = merge(ctx, w, states, plans, month[codec.Run]{
		table: runsTable, decode: w.dec.AppendRuns,
		encode: func(runs []codec.Run) []byte { return w.enc.AppendRuns(nil, runs) },
		begin:  func(x codec.Run) int64 { return x.First },
		fresh:  f.runs,
	})
	return err
}

// merge puts days into the rows that they belong to, in the place of what
// these had of the same days.
func merge[T any](ctx context.Context, w *dayWriter, set []dayPoints, plans map[int64]Plan, m month[T]) ([]dayRow, error) {
	if len(set) == 0 {
		return nil, nil
	}
	first, last := monthOf(set[0].day), monthOf(set[0].day)
	for _, d := range set {
		first, last = min(first, monthOf(d.day)), max(last, monthOf(d.day))
	}
	items := map[dayKey][]T{}
	rows, err := w.pool.Query(
		ctx,
		"SELECT series_id, day, data FROM "+m.table.name+" WHERE series_id = ANY($1) AND day BETWEEN $2 AND $3",
		seriesOf(set),
		first,
		last,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var k dayKey
		var data []byte
		if err := rows.Scan(&k.series, &k.day, &data); err != nil {
			return nil, err
		}
		if items[k], err = m.decode(nil, data); err != nil {
			return nil, err
		}
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	var order []dayKey
	changed := map[dayKey]bool{}
	for _, d := range set {
		k := dayKey{d.series, monthOf(d.day)}
		items[k] = slices.DeleteFunc(items[k], func(x T) bool { return DayOf(m.begin(x)) == d.day })
		items[k] = append(items[k], m.fresh[dayKey{d.series, d.day}]...)
		if !changed[k] {
			changed[k], order = true, append(order, k)
		}
	}
	out := make([]dayRow, 0, len(order))
	for _, k := range order {
		slices.SortFunc(items[k], func(a, b T) int {
			if m.begin(a) < m.begin(b) {
				return -1
			}
			return 1
		})
		out = append(out, dayRow{k.series, k.day, plans[k.series].classOf(m.table), 0, m.encode(items[k])})
	}
	return out, nil
}
