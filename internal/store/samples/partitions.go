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

// table is one of the partitioned tables. Those at rest are parted by keep
// class first, and each class by time.
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
	runsTable   = table{"runs", 12 * rollupDays}
)

// restTables are the tables that hold samples for long.
var restTables = []table{daysTable, rollup5m, rollup1h, rollup1d, runsTable}

// number writes a number as a part of a table's name.
func number(n int) string { return strings.Replace(strconv.Itoa(n), "-", "m", 1) }

func parseNumber(text string) (int, error) { return strconv.Atoi(strings.Replace(text, "m", "-", 1)) }

// class is the name of the table that holds one keep class.
func (t table) class(c keepClass) string { return t.name + "_k" + number(int(c)) }

// partition returns the name of the partition of a day, and its bounds. Chunks
// have no keep class.
func (t table) partition(c keepClass, day int) (name string, from, to int) {
	from = day - ((day%t.span)+t.span)%t.span
	if t == chunksTable {
		return t.name + "_" + number(from), from, from + t.span
	}
	return t.class(c) + "_" + number(from), from, from + t.span
}

// prepare makes the partition of a day and class if there is none.
func (s *Store) prepare(ctx context.Context, t table, c keepClass, day int) error {
	name, from, to := t.partition(c, day)
	s.tables.Lock()
	defer s.tables.Unlock()
	if s.known[name] {
		return nil
	}
	parent, bounds := t.class(c), fmt.Sprintf("FROM (%d) TO (%d)", from, to)
	if t == chunksTable {
		parent, bounds = t.name, fmt.Sprintf("IN (%d)", day)
	} else if !s.known[parent] {
		sql := fmt.Sprintf("CREATE TABLE IF NOT EXISTS %s PARTITION OF %s (PRIMARY KEY (series_id, day)) FOR VALUES IN (%d) "+
			"PARTITION BY RANGE (day)", parent, t.name, c)
		if _, err := s.pool.Exec(ctx, sql); err != nil {
			return fmt.Errorf("table %s: %w", parent, err)
		}
		s.known[parent] = true
	}
	// Rows of up to 8 kB stay in their page: one read brings them.
	sql := fmt.Sprintf("CREATE TABLE IF NOT EXISTS %s PARTITION OF %s FOR VALUES %s WITH (toast_tuple_target = 8160)", name, parent, bounds)
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

// children returns the numbers that the names of a table's partitions end in.
func (s *Store) children(ctx context.Context, name, mark string) (out []int, err error) {
	rows, err := s.pool.Query(
		ctx,
		"SELECT c.relname::text FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid WHERE i.inhparent = $1::regclass",
		name,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var child string
		if err := rows.Scan(&child); err != nil {
			return nil, err
		}
		if n, err := parseNumber(strings.TrimPrefix(child, name+mark)); err == nil {
			out = append(out, n)
		}
	}
	return out, rows.Err()
}

// classes returns the keep classes that a table at rest has.
func (s *Store) classes(ctx context.Context, t table) ([]keepClass, error) {
	numbers, err := s.children(ctx, t.name, "_k")
	out := make([]keepClass, len(numbers))
	for i, n := range numbers {
		out[i] = keepClass(n)
	}
	return out, err
}

// drop removes the partition of a class that begins with a day.
func (s *Store) drop(ctx context.Context, t table, c keepClass, day int) (name string, err error) {
	name, _, _ = t.partition(c, day)
	s.tables.Lock()
	defer s.tables.Unlock()
	if _, err := s.pool.Exec(ctx, "DROP TABLE IF EXISTS "+name); err != nil {
		return name, err
	}
	delete(s.known, name)
	if t == chunksTable {
		s.openMu.Lock()
		delete(s.open, day)
		s.openMu.Unlock()
	}
	return name, nil
}

// refresh learns which days have chunks that are not folded yet.
func (s *Store) refresh(ctx context.Context) error {
	days, err := s.children(ctx, chunksTable.name, "_")
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
