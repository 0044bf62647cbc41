package store

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"tirelessowl/internal/domain"
)

// ListedValue is a newest value with the names of what it belongs to.
type ListedValue struct {
	SeriesID    int64
	DeviceID    int64
	Device      string
	Part        string
	Kit         string
	Reading     string
	Name        string
	Unit        string
	Kind        domain.SeriesKind
	EveryS      int
	State       string
	Error       string
	At          *time.Time `gorm:"-"`
	Value       *float64   `gorm:"-"`
	BeforeValue *float64   `gorm:"-"`
	Text        string     `gorm:"-"` // the value of a text series
}

var valueOrder = map[string]string{
	"device": "d.name, s.part_id NULLS FIRST, s.id", "-device": "d.name DESC, s.id", "reading": "s.name, d.name, s.id",
	"-reading": "s.name DESC, d.name, s.id",
}

// MostCounted is up to how many newest values are counted: to count all of hundreds of
// thousands takes longer than to show a page of them.
const MostCounted = 10_000

// Listed returns newest values over all devices, and how many match; one more than
// MostCounted stands for any more.
func (s Values) Listed(ctx context.Context, f domain.ValueFilter) ([]ListedValue, int64, error) {
	q := s.q(ctx).Table("series s").Joins("JOIN devices d ON d.id = s.device_id")
	q = when(q, f.Kit != "", "s.kit = ?", f.Kit)
	q = when(q, f.Reading != "", "s.reading = ?", f.Reading)
	q = when(q, f.State != "" && f.State != domain.KeptApart, "s.state = ?", f.State)
	q = when(q, f.State == domain.KeptApart, "EXISTS (SELECT 1 FROM implausible i WHERE i.series_id = s.id)")
	if len(f.Of) > 0 {
		q = q.Where(
			"(s.kit, s.reading) IN (SELECT kit, reading FROM jsonb_to_recordset(?::jsonb) AS k(kit text, reading text))",
			recordsOf(f.Of),
		)
	}
	if f.Search != "" {
		like := "%" + escapeLike(f.Search) + "%"
		q = q.Joins("LEFT JOIN parts p ON p.id = s.part_id").Where("d.name ILIKE ? OR p.name ILIKE ? OR s.name ILIKE ?", like, like, like)
	}
	var total int64
	order, byName := valueOrder[f.Sort]
	switch column := f.Sort; {
	case byName, column != "value" && column != "-value" && column != "age" && column != "-age":
		few := q.Session(&gorm.Session{}).Select("1").Limit(MostCounted + 1)
		if err := s.q(ctx).Table("(?) AS few", few).Count(&total).Error; err != nil {
			return nil, 0, err
		}
		var ids []domain.ID
		if err := q.Order(cmp.Or(order, valueOrder["device"])).Limit(f.Limit).Offset(f.Offset).Pluck("s.id", &ids).Error; err != nil {
			return nil, 0, err
		}
		q = s.inOrder(ctx, ids)
	default: // newest values are in memory: the order is made there
		ids, err := manyIDs(q, "s.id", "")
		if err != nil {
			return nil, 0, err
		}
		total = int64(len(ids))
		q = s.page(ctx, ids, f)
	}
	var rows []ListedValue
	err := q.Select("s.id AS series_id, s.device_id, d.name AS device, coalesce(p.name, '') AS part, s.kit, s.reading, s.name, " +
		"s.unit, s.kind, s.every_s, s.state, s.error").
		Scan(&rows).
		Error
	for i := range rows {
		if l, ok := s.latest(rows[i].SeriesID); ok {
			rows[i].At, rows[i].Value, rows[i].BeforeValue = &l.At, &l.Value, l.BeforeValue
		}
	}
	if err != nil {
		return nil, 0, err
	}
	return rows, total, s.fillTexts(ctx, rows)
}

// fillTexts looks up the texts of text series.
func (s Values) fillTexts(ctx context.Context, rows []ListedValue) error {
	needed := map[WordKey]bool{}
	key := func(r ListedValue) (WordKey, bool) {
		if r.Kind != domain.KindText || r.Value == nil {
			return WordKey{}, false
		}
		return WordKey{r.SeriesID, int(*r.Value)}, true
	}
	for _, r := range rows {
		if k, ok := key(r); ok {
			needed[k] = true
		}
	}
	words, err := s.words.Of(ctx, needed)
	for i, r := range rows {
		if k, ok := key(r); ok {
			rows[i].Text = words[k]
		}
	}
	return err
}

// manyIDs reads the ids of all that a query picks as one value, in an order where one is given: with
// tens of thousands of them, rows would take several times as long.
func manyIDs(q *gorm.DB, id, order string) ([]domain.ID, error) {
	var text string
	if order != "" {
		order = " ORDER BY " + order
	}
	if err := q.Select("coalesce(string_agg(" + id + "::text, ','" + order + "), '')").Row().Scan(&text); err != nil {
		return nil, err
	}
	ids := make([]domain.ID, 0, strings.Count(text, ",")+1)
	for len(text) > 0 {
		var one string
		one, text, _ = strings.Cut(text, ",")
		id, err := strconv.ParseInt(one, 10, 64)
		if err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// page asks for one page of series in the order of their newest values;
// those without one come last.
func (s Values) page(ctx context.Context, ids []domain.ID, f domain.ValueFilter) *gorm.DB {
	type keyed struct {
		id  domain.ID
		has bool
		key float64
	}
	keys := make([]keyed, len(ids))
	for i, id := range ids {
		p, _, n := s.samples.LastTwo(id)
		keys[i] = keyed{id, n > 0, p.V}
		if f.Sort == "age" || f.Sort == "-age" {
			keys[i].key = float64(-p.T) // a young value has a small age
		}
	}
	down := f.Sort[0] == '-'
	slices.SortFunc(keys, func(a, b keyed) int {
		if a.has != b.has {
			if a.has {
				return -1
			}
			return 1
		}
		c := cmp.Compare(a.key, b.key)
		if down {
			c = -c
		}
		return cmp.Or(c, cmp.Compare(a.id, b.id))
	})
	shown := []domain.ID{}
	for _, k := range keys[min(f.Offset, len(keys)):min(f.Offset+f.Limit, len(keys))] {
		shown = append(shown, k.id)
	}
	return s.inOrder(ctx, shown)
}

// inOrder asks for the given series in their order.
func (s Values) inOrder(ctx context.Context, ids []domain.ID) *gorm.DB {
	return s.q(ctx).
		Table("unnest(?::text::bigint[]) WITH ORDINALITY AS o(id, place)", arrayOf(ids)).
		Joins("JOIN series s ON s.id = o.id").
		Joins("JOIN devices d ON d.id = s.device_id").
		Joins("LEFT JOIN parts p ON p.id = s.part_id").
		Order("o.place")
}
