package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// Sources are how asking devices goes, by what they are asked.
type Sources struct{ area }

type sourceRow struct {
	DeviceID int64
	Kit      string
	Source   string
	State    string
	Error    string
	Failure  string
	Faulty   bool
	Since    time.Time
}

func (sourceRow) TableName() string { return "sources" }

func (r sourceRow) domain() domain.Source {
	return domain.Source{
		DeviceID: r.DeviceID,
		Kit:      r.Kit,
		Source:   r.Source,
		State:    domain.SourceState(r.State),
		Error:    r.Error,
		Failure:  r.Failure,
		Faulty:   r.Faulty,
		Since:    r.Since.UTC(),
	}
}

// Of returns the sources of a device that were asked so far, or of all for id 0.
func (s Sources) Of(ctx context.Context, deviceID domain.ID) ([]domain.Source, error) {
	q := s.q(ctx).Order("device_id, kit, source")
	if deviceID != 0 {
		q = q.Where("device_id = ?", deviceID)
	}
	var rows []sourceRow
	err := q.Find(&rows).Error
	return each(rows, sourceRow.domain), err
}

// FailingOn returns the sources that fail now on some devices.
func (s Sources) FailingOn(ctx context.Context, devices []domain.ID) ([]domain.Source, error) {
	var rows []sourceRow
	err := s.q(ctx).Where("device_id = ANY(?::bigint[]) AND state = ?", arrayOf(devices), string(domain.SourceFailing)).Find(&rows).Error
	return each(rows, sourceRow.domain), err
}

// Failing returns the source of a kit that fails longest on a device now, or
// ErrNotFound.
func (s Sources) Failing(ctx context.Context, deviceID domain.ID, kit string) (domain.Source, error) {
	var row sourceRow
	err := s.q(ctx).
		Where("device_id = ? AND kit = ? AND state = ?", deviceID, kit, string(domain.SourceFailing)).
		Order("since").
		Take(&row).
		Error
	return row.domain(), known(err)
}

type sourceChange struct {
	DeviceID domain.ID `json:"device_id"`
	Kit      string    `json:"kit"`
	Source   string    `json:"source"`
	State    string    `json:"state"`
	Error    string    `json:"error"`
	Failure  string    `json:"failure"`
	Faulty   bool      `json:"faulty"`
	Since    time.Time `json:"since"`
}

// Set records how asking goes, each source once; devices that are gone are left
// out.
func (s Sources) Set(ctx context.Context, sources []domain.Source) error {
	if len(sources) == 0 {
		return nil
	}
	changes := each(sources, func(x domain.Source) sourceChange {
		return sourceChange{x.DeviceID, x.Kit, x.Source, string(x.State), x.Error, x.Failure, x.Faulty, x.Since}
	})
	return known(s.q(ctx).Exec(`INSERT INTO sources AS s (device_id, kit, source, state, error, failure, faulty, since)
		SELECT n.* FROM jsonb_to_recordset(?::jsonb)
			AS n(device_id bigint, kit text, source text, state text, error text, failure text, faulty boolean, since timestamptz)
				JOIN devices d ON d.id = n.device_id
		ON CONFLICT (device_id, kit, source) DO UPDATE
			SET state = excluded.state, error = excluded.error, failure = excluded.failure,
faulty = excluded.faulty, since = excluded.since`, recordsOf(changes)).Error)
}

type sourceName struct {
	Device domain.ID `json:"device"`
	Kit    string    `json:"kit"`
	Source string    `json:"source"`
}

// Drop removes sources that devices are no longer asked for.
func (s Sources) Drop(ctx context.Context, sources []domain.Source) error {
	rows := make([]sourceName, len(sources))
	for i, x := range sources {
		rows[i] = sourceName{x.DeviceID, x.Kit, x.Source}
	}
	return s.q(ctx).Exec(`DELETE FROM sources s USING jsonb_to_recordset(?::jsonb) AS n(device bigint, kit text, source text)
		WHERE s.device_id = n.device AND s.kit = n.kit AND s.source = n.source`, recordsOf(rows)).Error
}

// Among returns those of some devices.
func (s Sources) Among(ctx context.Context, devices []domain.ID) ([]domain.Source, error) {
	var rows []sourceRow
	err := s.q(ctx).Where("device_id = ANY(?::bigint[])", arrayOf(devices)).Order("device_id, kit, source").Find(&rows).Error
	return each(rows, sourceRow.domain), err
}
