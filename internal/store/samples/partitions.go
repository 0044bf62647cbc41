package samples

import (
	"context"
	"fmt"
	"strconv"
	"strings"
)

// weekDays and rollupDays are how many days one partition of days and of
// rollups holds.
const (
	weekDays   = 7
	rollupDays = 28
)

// table is one of the partitioned tables.
type table struct {
	name string
	span int // days in a partition
}

var (
	chunksTable = table{"chunks", 1}
	daysTable   = table{"days", weekDays}
	rollup5m    = table{"rollup_5m", rollupDays}
	rollup1h    = table{"rollup_1h", rollupDays}
	rollup1d    = table{"rollup_1d", 12 * rollupDays}
)

var allTables = []table{chunksTable, daysTable, rollup5m, rollup1h, rollup1d}

// partition returns the name of the partition of a day, and its bounds.
func (t table) partition(day int) (name string, from, to int) {
	from = day - ((day%t.span)+t.span)%t.span
	return fmt.Sprintf("%s_%s", t.name, strings.Replace(strconv.Itoa(from), "-", "m", 1)), from, from + t.span
}

// prepare makes the partition of a day if there is none.
func (s *Store) prepare(ctx context.Context, t table, day int) error {
	name, from, to := t.partition(day)
	s.tables.Lock()
	defer s.tables.Unlock()
	if s.known[name] {
		return nil
	}
	bounds := fmt.Sprintf("FROM (%d) TO (%d)", from, to)
	if t == chunksTable {
		bounds = fmt.Sprintf("IN (%d)", day)
	}
	// Rows of up to 8 kB stay in their page: one read brings them.
	sql := fmt.Sprintf("CREATE TABLE IF NOT EXISTS %s PARTITION OF %s FOR VALUES %s WITH (toast_tuple_target = 8160)", name, t.name, bounds)
	if _, err := s.pool.Exec(ctx, sql); err != nil {
		return fmt.Errorf("partition %s: %w", name, err)
	}
	s.known[name] = true
	if t == chunksTable {
		s.openMu.Lock()
		s.open[day] = true
		s.openMu.Unlock()
	}
	return nil
}

// existing returns the first days of the partitions that a table has.
func (s *Store) existing(ctx context.Context, t table) (from []int, err error) {
	rows, err := s.pool.Query(ctx, "SELECT inhrelid::regclass::text FROM pg_inherits WHERE inhparent = $1::regclass", t.name)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			return nil, err
		}
		text := strings.Replace(strings.TrimPrefix(name, t.name+"_"), "m", "-", 1)
		if day, err := strconv.Atoi(text); err == nil {
			from = append(from, day)
		}
	}
	return from, rows.Err()
}

// drop removes the partition that begins with a day.
func (s *Store) drop(ctx context.Context, t table, day int) error {
	name, _, _ := t.partition(day)
	s.tables.Lock()
	defer s.tables.Unlock()
	if _, err := s.pool.Exec(ctx, "DROP TABLE IF EXISTS "+name); err != nil {
		return err
	}
	delete(s.known, name)
	if t == chunksTable {
		s.openMu.Lock()
		delete(s.open, day)
		s.openMu.Unlock()
	}
	return nil
}

// refresh learns which days have chunks that are not folded yet.
func (s *Store) refresh(ctx context.Context) error {
	days, err := s.existing(ctx, chunksTable)
	if err != nil {
		return err
	}
	s.openMu.Lock()
	defer s.openMu.Unlock()
	s.open = map[int]bool{}
	for _, d := range days {
		s.open[d] = true
	}
	return nil
}

func (s *Store) isOpen(day int) bool {
	s.openMu.RLock()
	defer s.openMu.RUnlock()
	return s.open[day]
}

func (s *Store) openDays() (out []int) {
	s.openMu.RLock()
	defer s.openMu.RUnlock()
	for d := range s.open {
		out = append(out, d)
	}
	return out
}
