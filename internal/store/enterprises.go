package store

import "context"

// Enterprises are makers by the numbers that the public registry gives them.
type Enterprises struct{ area }

// Enterprise is one of them.
type Enterprise struct {
	Number int64  `gorm:"primaryKey" json:"number"`
	Name   string `json:"name"`
}

// Names returns those of some numbers, as far as they are known.
func (s Enterprises) Names(ctx context.Context, numbers []int64) (map[int64]string, error) {
	var rows []Enterprise
	err := s.q(ctx).Where("number = ANY(?::bigint[])", arrayOf(numbers)).Find(&rows).Error
	out := make(map[int64]string, len(rows))
	for _, r := range rows {
		out[r.Number] = r.Name
	}
	return out, err
}

// Count is how many there are.
func (s Enterprises) Count(ctx context.Context) (n int64, err error) {
	return n, s.q(ctx).Model(&Enterprise{}).Count(&n).Error
}

// Replace puts a registry in the place of the one before; an empty one takes it away.
func (s Enterprises) Replace(ctx context.Context, all map[int64]string) error {
	if err := s.q(ctx).Exec("DELETE FROM enterprises").Error; err != nil || len(all) == 0 {
		return err
	}
	rows := make([]Enterprise, 0, len(all))
	for number, name := range all {
		rows = append(rows, Enterprise{number, name})
	}
	return s.q(ctx).CreateInBatches(&rows, 5000).Error
}
