package store

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
)

// ListedValue is a newest value with the names of what it belongs to.
type ListedValue struct {
	SeriesID    int64
	DeviceID    int64
	Device      string
	PlaceID     int64
	Place       string
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

// groupOf is what tells groups of series apart, and their order: several places, or readings of several kits, may be
// called alike.
var groupOf = map[string]struct{ key, order string }{
	"device":  {"d.id::text", "d.name, d.id"},
	"place":   {"pl.id::text", "pl.name, pl.id"},
	"reading": {"s.kit || '/' || s.reading", "s.name, s.kit, s.reading"},
	"kit":     {"s.kit", "s.kit"},
}

// GroupKey tells the group of a value from others.
func (v ListedValue) GroupKey(group string) string {
	switch group {
	case "device":
		return strconv.FormatInt(v.DeviceID, 10)
	case "place":
		return strconv.FormatInt(v.PlaceID, 10)
	case "reading":
		return v.Kit + "/" + v.Reading
	case "kit":
		return v.Kit
	}
	return ""
}

// below are the places below one, with itself.
const below = "WITH RECURSIVE below AS (SELECT id FROM places WHERE id = ? UNION ALL " +
	"SELECT p.id FROM places p JOIN below b ON p.parent_id = b.id) SELECT id FROM below"

// filtered are the series that a filter picks.
func (s Values) filtered(ctx context.Context, f domain.ValueFilter) *gorm.DB {
	q := s.q(ctx).Table("series s").Joins("JOIN devices d ON d.id = s.device_id")
	q = when(q, f.Kit != "", "s.kit = ?", f.Kit)
	q = when(q, f.Reading != "", "s.reading = ?", f.Reading)
	q = when(q, f.State != "" && f.State != domain.KeptApart, "s.state = ?", f.State)
	q = when(q, f.State == "", "s.state <> 'off'")
	q = when(q, f.State == domain.KeptApart, "EXISTS (SELECT 1 FROM implausible i WHERE i.series_id = s.id)")
	q = when(q, f.PlaceID != 0, "d.place_id IN ("+below+")", f.PlaceID)
	if len(f.Of) > 0 {
		q = q.Where(
			"(s.kit, s.reading) IN (SELECT kit, reading FROM jsonb_to_recordset(?::jsonb) AS k(kit text, reading text))",
			recordsOf(f.Of),
		)
	}
	if f.Group == "place" {
		q = q.Joins("JOIN places pl ON pl.id = d.place_id")
	}
	if f.Search != "" {
		like := "%" + escapeLike(f.Search) + "%"
		q = q.Joins("LEFT JOIN parts p ON p.id = s.part_id").Where("d.name ILIKE ? OR p.name ILIKE ? OR s.name ILIKE ?", like, like, like)
	}
	return q
}

// Groups counts the series of some groups, by their keys.
func (s Values) Groups(ctx context.Context, f domain.ValueFilter, keys []string) (map[string]int64, error) {
	by, ok := groupOf[f.Group]
	if !ok || len(keys) == 0 {
		return nil, nil
	}
	var rows []struct {
		Key string
		N   int64
	}
	err := s.filtered(ctx, f).Where(by.key+" IN ?", keys).Select(by.key + " AS key, count(*) AS n").Group(by.key).Scan(&rows).Error
	out := make(map[string]int64, len(rows))
	for _, r := range rows {
		out[r.Key] = r.N
	}
	return out, err
}

// Listed returns newest values over all devices, and how many match; one more than
// domain.MostCounted stands for any more.
func (s Values) Listed(ctx context.Context, f domain.ValueFilter) ([]ListedValue, int64, error) {
	q := s.filtered(ctx, f)
	var total int64
	order, byName := valueOrder[f.Sort]
	if by, grouped := groupOf[f.Group]; grouped {
		order, byName = by.order+", "+cmp.Or(order, valueOrder["device"]), true
	}
	switch column := f.Sort; {
	case f.Page != nil:
		page, n, err := s.paged(ctx, q, "s.id", nil, *f.Page)
		if err != nil {
			return nil, 0, err
		}
		var ids []domain.ID
		if err := page.Pluck("s.id", &ids).Error; err != nil {
			return nil, 0, err
		}
		total, q = n, s.inOrder(ctx, ids)
	case byName, column != "value" && column != "-value" && column != "age" && column != "-age":
		var err error
		if total, err = s.counted(ctx, q); err != nil {
			return nil, 0, err
		}
		var ids []domain.ID
		if err := q.Order(cmp.Or(order, valueOrder["device"])).Limit(f.Limit).Offset(f.Offset).Pluck("s.id", &ids).Error; err != nil {
			return nil, 0, err
		}
		q = s.inOrder(ctx, ids)
	default: // newest values are in memory: the order is made there
		first, enough, err := s.ahead(ctx, q, f, &total)
		if err != nil {
			return nil, 0, err
		}
		if enough {
			q = s.inOrder(ctx, first)
			break
		}
		ids, err := manyIDs(q, "s.id", "")
		if err != nil {
			return nil, 0, err
		}
		total = int64(len(ids))
		q = s.page(ctx, ids, f)
	}
	var rows []ListedValue
	err := q.Select("s.id AS series_id, s.device_id, d.name AS device, d.place_id, pl.name AS place, coalesce(p.name, '') AS part, " +
		"s.kit, s.reading, s.name, s.unit, s.kind, s.every_s, s.state, s.error").
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
	return readIDs(text)
}

// readIDs reads ids with commas between them.
func readIDs(text string) ([]domain.ID, error) {
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

// mostAhead is how many series are looked at ahead of what is asked for.
const mostAhead = 2000

// ahead looks for one page among the series that come first of all: where many are asked
// for, of whatever reading, the page is among them, and nothing else needs to be read.
func (s Values) ahead(ctx context.Context, q *gorm.DB, f domain.ValueFilter, total *int64) (page []domain.ID, enough bool, err error) {
	needed := f.Offset + f.Limit
	narrow := f.Kit != "" || f.Reading != "" || f.State != "" || f.Search != "" || len(f.Of) > 0
	if narrow || 2*needed > mostAhead {
		return nil, false, nil
	}
	if *total, err = s.counted(ctx, q); err != nil || *total <= domain.MostCounted {
		return nil, false, err
	}
	var all []keyed
	s.samples.EachLatest(time.Time{}, func(id int64, points []codec.Point) {
		if len(points) > 0 {
			all = append(all, keyOf(id, points[len(points)-1], true, f.Sort))
		}
	})
	first := leading(all, mostAhead)
	ids := each(first, func(k keyed) domain.ID { return k.id })
	var picked []domain.ID
	if err := q.Session(&gorm.Session{}).Where("s.id = ANY(?::text::bigint[])", arrayOf(ids)).Pluck("s.id", &picked).Error; err != nil {
		return nil, false, err
	}
	is := make(map[domain.ID]bool, len(picked))
	for _, id := range picked {
		is[id] = true
	}
	ids = slices.DeleteFunc(ids, func(id domain.ID) bool { return !is[id] })
	if len(ids) < needed {
		return nil, false, nil
	}
	return ids[f.Offset:needed], true, nil
}

// page asks for one page of series in the order of their newest values;
// those without one come last.
func (s Values) page(ctx context.Context, ids []domain.ID, f domain.ValueFilter) *gorm.DB {
	keys := make([]keyed, len(ids))
	for i, id := range ids {
		p, _, n := s.samples.LastTwo(id)
		keys[i] = keyOf(id, p, n > 0, f.Sort)
	}
	first := leading(keys, f.Offset+f.Limit)
	return s.inOrder(ctx, each(first[min(f.Offset, len(first)):], func(k keyed) domain.ID { return k.id }))
}

// keyed is a series with what it is ordered by, where it has a value.
type keyed struct {
	id  domain.ID
	has bool
	key float64
}

func keyOf(id domain.ID, newest codec.Point, has bool, sort string) keyed {
	k := keyed{id, has, newest.V}
	if sort == "age" || sort == "-age" {
		k.key = float64(-newest.T) // a young value has a small age
	}
	if sort[0] == '-' {
		k.key = -k.key
	}
	return k
}

func (k keyed) compare(other keyed) int {
	switch {
	case k.has && !other.has:
		return -1
	case other.has && !k.has:
		return 1
	}
	return cmp.Or(cmp.Compare(k.key, other.key), cmp.Compare(k.id, other.id))
}

// leading are the first n of many in their order. Of hundreds of thousands the first page
// is found without ordering them all: what comes after the n-th so far is passed over.
func leading(all []keyed, n int) []keyed {
	n = min(n, len(all))
	if n == 0 {
		return nil
	}
	some := make([]keyed, 0, 2*n)
	full := false // n of them are in order, so that the last of those is the bar
	trim := func() {
		slices.SortFunc(some, keyed.compare)
		some, full = some[:min(n, len(some))], len(some) >= n
	}
	for _, k := range all {
		if full && k.compare(some[n-1]) > 0 {
			continue
		}
		if some = append(some, k); len(some) == cap(some) {
			trim()
		}
	}
	trim()
	return some
}

// inOrder asks for the given series in their order.
func (s Values) inOrder(ctx context.Context, ids []domain.ID) *gorm.DB {
	return s.q(ctx).
		Table("unnest(?::text::bigint[]) WITH ORDINALITY AS o(id, place)", arrayOf(ids)).
		Joins("JOIN series s ON s.id = o.id").
		Joins("JOIN devices d ON d.id = s.device_id").
		Joins("JOIN places pl ON pl.id = d.place_id").
		Joins("LEFT JOIN parts p ON p.id = s.part_id").
		Order("o.place")
}
