package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"sync"

	"tirelessowl/internal/domain"
)

// A text series is stored as numbers, the codes of its words: so all that
// holds for samples holds for texts, and a text that stands for months takes
// no more than a number that does.

// mostWords bounds the different texts of one series.
const mostWords = 100_000

// Words are the texts of text series.
type Words struct {
	area
	mu sync.Mutex
	of map[domain.ID]lastWord // the text that each series had last
}

func newWords(a area) *Words { return &Words{area: a, of: map[domain.ID]lastWord{}} }

// lastWord is the text that a series had last, with its code.
type lastWord struct {
	word string
	code int
}

// forget drops the texts of series that were removed.
func (s *Words) forget(series []domain.ID) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, id := range series {
		delete(s.of, id)
	}
}

// Code turns texts into samples of their codes; new texts are stored
// first. Texts of series that have mostWords already are refused: such a series
// is left out, and named. Those of series that are gone are left out.
func (s *Words) Code(ctx context.Context, texts []domain.SeriesText) (out []domain.SeriesSample, full []domain.ID, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	codes, unknown := map[wordKey]int{}, []wordKey(nil)
	for _, t := range texts {
		k := wordKey{t.SeriesID, t.Text}
		if last, ok := s.of[t.SeriesID]; ok && last.word == t.Text {
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
			s.of[t.SeriesID] = lastWord{t.Text, code}
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
func (s *Words) codeWords(ctx context.Context, words []wordKey, codes map[wordKey]int) error {
	var given []givenWord
	byDigest := map[givenWord]wordKey{}
	for _, k := range words {
		g := givenWord{SeriesID: k.series, Digest: digestOf(k.word)}
		byDigest[g] = k
		g.Word = k.word
		given = append(given, g)
	}
	records := recordsOf(given)
	if err := s.q(ctx).Exec(givenWords+`, fresh AS (
			SELECT g.*, (SELECT coalesce(max(code), 0) FROM words w
				WHERE w.series_id = g.series_id) + row_number() OVER (PARTITION BY g.series_id ORDER BY g.place) AS code
			FROM given g JOIN series s ON s.id = g.series_id
			WHERE NOT EXISTS (SELECT FROM words w WHERE w.series_id = g.series_id AND w.digest = decode(g.digest, 'hex')))
		INSERT INTO words SELECT series_id, code, decode(digest, 'hex'), word FROM fresh
			WHERE code <= ?`, records, mostWords).Error; err != nil {
		return err
	}
	var coded []codedWord
	err := s.q(ctx).
		Raw(givenWords+`SELECT g.series_id, g.digest, coalesce(w.code, ? + 1) AS code FROM given g JOIN series s ON s.id = g.series_id
		LEFT JOIN words w ON w.series_id = g.series_id AND w.digest = decode(g.digest, 'hex')`, records, mostWords).
		Scan(&coded).
		Error
	for _, c := range coded {
		codes[byDigest[givenWord{SeriesID: c.SeriesID, Digest: c.Digest}]] = c.Code
	}
	return err
}

// givenWords makes a table of the records that follow as the first parameter.
const givenWords = `WITH given AS (SELECT * FROM ROWS FROM (
	jsonb_to_recordset(?::jsonb) AS (series_id bigint, digest text, word text)) WITH ORDINALITY AS g(series_id, digest, word, place)) `

type givenWord struct {
	SeriesID domain.ID `json:"series_id"`
	Digest   string    `json:"digest"` // in hexadecimal
	Word     string    `json:"word"`
}

type codedWord struct {
	SeriesID domain.ID
	Digest   string
	Code     int
}

func digestOf(word string) string {
	sum := sha256.Sum256([]byte(word))
	return hex.EncodeToString(sum[:16])
}

// WordKey names a text by its series and code.
type WordKey struct {
	SeriesID domain.ID
	Code     int
}

// Of returns texts by their codes; codes that are not known are missing.
func (s *Words) Of(ctx context.Context, keys map[WordKey]bool) (map[WordKey]string, error) {
	out := make(map[WordKey]string, len(keys))
	if len(keys) == 0 {
		return out, nil
	}
	asked := make([]wordRow, 0, len(keys))
	for k := range keys {
		asked = append(asked, wordRow{SeriesID: k.SeriesID, Code: k.Code})
	}
	var rows []wordRow
	err := s.q(ctx).Raw(`SELECT w.series_id, w.code, w.word FROM jsonb_to_recordset(?::jsonb) AS k(series_id bigint, code int)
		JOIN words w USING (series_id, code)`, recordsOf(asked)).Scan(&rows).Error
	for _, r := range rows {
		out[WordKey{r.SeriesID, r.Code}] = r.Word
	}
	return out, err
}

type wordRow struct {
	SeriesID domain.ID `json:"series_id"`
	Code     int       `json:"code"`
	Word     string    `json:"-"`
}
