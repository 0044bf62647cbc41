package store

import (
	"context"
	"encoding/json"
	"time"

	"tirelessowl/internal/domain"
)

// Implausible are values that cannot be; they are no samples.
type Implausible struct{ area }

// newestImplausible is how many of them are kept of a series.
const newestImplausible = 10

type implausibleRow struct {
	SeriesID int64           `json:"series_id"`
	Count    int64           `json:"count"`
	FirstAt  time.Time       `json:"first_at"`
	LastAt   time.Time       `json:"last_at"`
	Reason   string          `json:"reason"`
	Newest   json.RawMessage `json:"newest"`
}

func (r implausibleRow) domain() domain.Implausible {
	out := domain.Implausible{SeriesID: r.SeriesID, Count: r.Count, FirstAt: r.FirstAt.UTC(), LastAt: r.LastAt.UTC(), Reason: r.Reason}
	_ = json.Unmarshal(r.Newest, &out.Newest) // written by Add
	return out
}

// Add counts values that cannot be, each with its time, in the order of time.
func (s Implausible) Add(ctx context.Context, values []domain.ImplausibleValue) error {
	if len(values) == 0 {
		return nil
	}
	rows, place := []implausibleRow{}, map[domain.ID]int{}
	newest := map[domain.ID][]domain.Sample{}
	for _, v := range values {
		i, ok := place[v.SeriesID]
		if !ok {
			i = len(rows)
			place[v.SeriesID] = i
			rows = append(rows, implausibleRow{SeriesID: v.SeriesID, FirstAt: v.At})
		}
		rows[i].Count++
		rows[i].LastAt, rows[i].Reason = v.At, v.Reason
		newest[v.SeriesID] = append([]domain.Sample{v.Sample}, newest[v.SeriesID]...)
	}
	for i, r := range rows {
		rows[i].Newest, _ = json.Marshal(newest[r.SeriesID][:min(len(newest[r.SeriesID]), newestImplausible)])
	}
	return known(s.q(ctx).Exec(`INSERT INTO implausible AS i (series_id, count, first_at, last_at, reason, newest)
		SELECT n.* FROM jsonb_to_recordset(?::jsonb)
			AS n(series_id bigint, count bigint, first_at timestamptz, last_at timestamptz, reason text, newest jsonb)
				JOIN series s ON s.id = n.series_id
		ON CONFLICT (series_id) DO UPDATE SET count = i.count + excluded.count, last_at = excluded.last_at, reason = excluded.reason,
			newest = jsonb_path_query_array(excluded.newest || i.newest, '$[0 to 9]')`, recordsOf(rows)).Error)
}

// Of returns them for some series.
func (s Implausible) Of(ctx context.Context, series []domain.ID) (map[domain.ID]domain.Implausible, error) {
	if len(series) == 0 {
		return nil, nil
	}
	var rows []implausibleRow
	err := s.q(ctx).Table("implausible").Where("series_id = ANY(?::bigint[])", arrayOf(series)).Find(&rows).Error
	out := make(map[domain.ID]domain.Implausible, len(rows))
	for _, r := range rows {
		out[r.SeriesID] = r.domain()
	}
	return out, err
}

// Drop removes those of series of which none came since a time.
func (s Implausible) Drop(ctx context.Context, before time.Time) error {
	return s.q(ctx).Exec("DELETE FROM implausible WHERE last_at < ?", before).Error
}
