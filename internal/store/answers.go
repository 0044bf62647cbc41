package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

// Answers are those to requests that may be sent again. What they say is sealed: there may
// be a secret in it.
type Answers struct {
	area
	keys *Vault
}

type answerRow struct {
	Actor   string `gorm:"primaryKey"`
	Key     string `gorm:"primaryKey"`
	Digest  []byte
	BegunAt time.Time
	Status  int
	Headers map[string]string `gorm:"serializer:json"`
	Body    []byte
}

func (answerRow) TableName() string { return "answers" }

// Begin notes that a request of a key is worked on. Where there was one before, it is
// returned, and begun is false.
func (s Answers) Begin(ctx context.Context, actor, key string, digest []byte, now time.Time) (before domain.Answer, begun bool, err error) {
	row := answerRow{Actor: actor, Key: key, Digest: digest, BegunAt: now, Headers: map[string]string{}, Body: []byte{}}
	res := s.q(ctx).Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
	if res.Error != nil || res.RowsAffected == 1 {
		return domain.Answer{}, res.Error == nil, res.Error
	}
	if err := s.q(ctx).Where("actor = ? AND key = ?", actor, key).Take(&row).Error; err != nil {
		return domain.Answer{}, false, known(err)
	}
	out := domain.Answer{Digest: row.Digest, BegunAt: row.BegunAt.UTC(), Status: row.Status, Headers: row.Headers}
	if out.Cut = len(row.Body) == 0; out.Cut {
		return out, false, nil
	}
	text, err := s.keys.Open(row.Body)
	out.Body = []byte(text.Reveal())
	return out, false, err
}

// End keeps what was answered.
func (s Answers) End(ctx context.Context, actor, key string, a domain.Answer) error {
	row := answerRow{Status: a.Status, Headers: a.Headers, Body: []byte{}}
	if row.Headers == nil {
		row.Headers = map[string]string{}
	}
	if !a.Cut {
		sealed, err := s.keys.Seal(domain.Secret(a.Body))
		if err != nil {
			return err
		}
		row.Body = sealed
	}
	return must(s.q(ctx).Model(&answerRow{}).Where("actor = ? AND key = ?", actor, key).Select("status", "headers", "body").Updates(row))
}

// Forget lets a request of a key be worked on anew.
func (s Answers) Forget(ctx context.Context, actor, key string) error {
	return s.q(ctx).Where("actor = ? AND key = ?", actor, key).Delete(&answerRow{}).Error
}

// Drop removes what was begun before a time.
func (s Answers) Drop(ctx context.Context, before time.Time) error {
	return s.q(ctx).Where("begun_at < ?", before).Delete(&answerRow{}).Error
}
