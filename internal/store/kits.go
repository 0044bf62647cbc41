package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// Kits are the versions of kits, each a document.
type Kits struct{ area }

type kitRow struct {
	Kit       string
	Revision  int
	Version   int
	Document  string
	Shipped   bool
	CreatedAt time.Time
	Author    string
	Reason    string
	Withdrawn bool
}

func (kitRow) TableName() string { return "kit_versions" }

func (r kitRow) domain() domain.KitVersion {
	return domain.KitVersion{
		Kit:       r.Kit,
		Revision:  r.Revision,
		Version:   r.Version,
		Document:  r.Document,
		Shipped:   r.Shipped,
		CreatedAt: r.CreatedAt.UTC(),
		Author:    r.Author,
		Reason:    r.Reason,
		Withdrawn: r.Withdrawn,
	}
}

// Newest returns the newest version of each kit.
func (s Kits) Newest(ctx context.Context) ([]domain.KitVersion, error) {
	var rows []kitRow
	err := s.q(ctx).Raw("SELECT DISTINCT ON (kit) * FROM kit_versions ORDER BY kit, revision DESC").Scan(&rows).Error
	return each(rows, kitRow.domain), err
}

// LastShipped returns the newest version of each kit that came with a release.
func (s Kits) LastShipped(ctx context.Context) (map[string]domain.KitVersion, error) {
	var rows []kitRow
	err := s.q(ctx).Raw("SELECT DISTINCT ON (kit) * FROM kit_versions WHERE shipped ORDER BY kit, revision DESC").Scan(&rows).Error
	out := make(map[string]domain.KitVersion, len(rows))
	for _, r := range rows {
		out[r.Kit] = r.domain()
	}
	return out, err
}

// Versions returns all versions of a kit, newest first, without their documents.
func (s Kits) Versions(ctx context.Context, kit string) ([]domain.KitVersion, error) {
	var rows []kitRow
	err := s.q(ctx).
		Select("kit", "revision", "version", "shipped", "created_at", "author", "reason", "withdrawn").
		Where("kit = ?", kit).
		Order("revision DESC").
		Find(&rows).
		Error
	return each(rows, kitRow.domain), err
}

// Version returns one version of a kit, or ErrNotFound.
func (s Kits) Version(ctx context.Context, kit string, revision int) (domain.KitVersion, error) {
	var row kitRow
	err := s.q(ctx).Where("kit = ? AND revision = ?", kit, revision).Take(&row).Error
	return row.domain(), known(err)
}

// Lock keeps others from storing versions until the end of the transaction.
func (s Kits) Lock(ctx context.Context) error {
	return s.q(ctx).Exec("LOCK TABLE kit_versions IN SHARE ROW EXCLUSIVE MODE").Error
}

// Add stores a further version of a kit, which is in force from then on.
func (s Kits) Add(ctx context.Context, v domain.KitVersion) (domain.KitVersion, error) {
	var rows []kitRow
	err := s.q(ctx).Raw(`INSERT INTO kit_versions (kit, revision, version, document, shipped, created_at, author, reason, withdrawn)
		SELECT ?, coalesce(max(revision), 0) + 1, ?, ?, ?, ?, ?, ?, ? FROM kit_versions WHERE kit = ? RETURNING *`,
		v.Kit, v.Version, v.Document, v.Shipped, v.CreatedAt, v.Author, v.Reason, v.Withdrawn, v.Kit).Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return v, known(err)
	}
	return rows[0].domain(), nil
}
