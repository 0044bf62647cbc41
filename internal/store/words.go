package store

import (
	"context"
	"crypto/sha256"
	"fmt"
	"sync"

	"tirelessowl/internal/domain"
)

// A text series is stored as numbers, the codes of its words: so all that
// holds for samples holds for texts, and a text that stands for months takes
// no more than a number that does.

// mostWords bounds the different texts of one series.
const mostWords = 100_000

// lastWord is the text that a series had last, with its code.
type lastWord struct {
	word string
	code int
}

type lastWords struct {
	sync.Mutex
	of map[int64]lastWord
}

// forget drops the texts of series that were removed.
func (w *lastWords) forget(series []domain.ID) {
	w.Lock()
	defer w.Unlock()
	for _, id := range series {
		delete(w.of, id)
	}
}

// CodeTexts turns texts into samples of their codes; new texts are stored
// first. Texts of series that have mostWords already are refused: such a series
// is left out, and named. Those of series that are gone are left out.
func (s *Store) CodeTexts(ctx context.Context, texts []domain.SeriesText) (out []domain.SeriesSample, full []domain.ID, err error) {
	s.words.Lock()
	defer s.words.Unlock()
	codes, unknown := map[wordKey]int{}, []wordKey(nil)
	for _, t := range texts {
		k := wordKey{t.SeriesID, t.Text}
		if last, ok := s.words.of[t.SeriesID]; ok && last.word == t.Text {
			codes[k] = last.code
		} else if _, listed := codes[k]; !listed {
			codes[k], unknown = 0, append(unknown, k)
		}
	}
	if len(unknown) > 0 {
		if err := s.codeWords(ctx, unknown, codes); err != nil {
			return nil, nil, err
		}
	}
	for _, t := range texts {
		switch code := codes[wordKey{t.SeriesID, t.Text}]; {
		case code > mostWords:
			full = append(full, t.SeriesID)
		case code > 0:
			s.words.of[t.SeriesID] = lastWord{t.Text, code}
			out = append(out, domain.SeriesSample{SeriesID: t.SeriesID, Sample: domain.Sample{At: t.At, Value: float64(code)}})
		}
	}
	return out, full, nil
}

type wordKey struct {
	series int64
	word   string
}

// codeWords finds the codes of texts, and makes those that are missing. Series
// that are full get a code beyond mostWords; nothing is stored for them.
func (s *Store) codeWords(ctx context.Context, words []wordKey, codes map[wordKey]int) error {
	var ids []int64
	var texts []string
	var digests [][]byte
	byDigest := map[string]wordKey{}
	for _, k := range words {
		sum := sha256.Sum256([]byte(k.word))
		ids, texts, digests = append(ids, k.series), append(texts, k.word), append(digests, sum[:16])
		byDigest[fmt.Sprint(k.series)+string(sum[:16])] = k
	}
	const given = "WITH given AS (SELECT * FROM unnest($1::bigint[], $2::bytea[], $3::text[]) WITH ORDINALITY AS g(series_id, digest, word, place)) "
	_, err := s.pool.Exec(ctx, given+`, fresh AS (
			SELECT g.*, (SELECT coalesce(max(code), 0) FROM words w WHERE w.series_id = g.series_id) + row_number() OVER (PARTITION BY g.series_id ORDER BY g.place) AS code
			FROM given g JOIN series s ON s.id = g.series_id
			WHERE NOT EXISTS (SELECT FROM words w WHERE w.series_id = g.series_id AND w.digest = g.digest))
		INSERT INTO words SELECT series_id, code, digest, word FROM fresh WHERE code <= $4`, ids, digests, texts, mostWords)
	if err != nil {
		return err
	}
	rows, err := s.pool.Query(ctx, given+`SELECT g.series_id, g.digest, coalesce(w.code, $4 + 1) FROM given g JOIN series s ON s.id = g.series_id
		LEFT JOIN words w ON w.series_id = g.series_id AND w.digest = g.digest`, ids, digests, texts, mostWords)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var id int64
		var digest []byte
		var code int
		if err := rows.Scan(&id, &digest, &code); err != nil {
			return err
		}
		codes[byDigest[fmt.Sprint(id)+string(digest)]] = code
	}
	return rows.Err()
}

// WordKey names a text by its series and code.
type WordKey struct {
	SeriesID domain.ID
	Code     int
}

// Words returns texts by their codes; codes that are not known are missing.
func (s *Store) Words(ctx context.Context, keys map[WordKey]bool) (map[WordKey]string, error) {
	out := make(map[WordKey]string, len(keys))
	if len(keys) == 0 {
		return out, nil
	}
	ids, codes := make([]int64, 0, len(keys)), make([]int, 0, len(keys))
	for k := range keys {
		ids, codes = append(ids, k.SeriesID), append(codes, k.Code)
	}
	rows, err := s.pool.Query(ctx, "SELECT w.series_id, w.code, w.word FROM unnest($1::bigint[], $2::int[]) AS k(series_id, code) JOIN words w USING (series_id, code)", ids, codes)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var k WordKey
		var word string
		if err := rows.Scan(&k.SeriesID, &k.Code, &word); err != nil {
			return nil, err
		}
		out[k] = word
	}
	return out, rows.Err()
}
