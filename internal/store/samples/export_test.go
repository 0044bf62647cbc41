package samples

import "time"

// AgeJournal makes the table of the journal that is written look older and fuller.
func (s *Store) AgeJournal(by time.Duration, bytes int64) {
	s.journal.mu.Lock()
	defer s.journal.mu.Unlock()
	s.journal.began = s.journal.began.Add(-by)
	s.journal.tables[s.journal.current].bytes += bytes
}

// JournalTable is the table of the journal that is written.
func (s *Store) JournalTable() string {
	s.journal.mu.Lock()
	defer s.journal.mu.Unlock()
	return tableName(s.journal.current)
}
