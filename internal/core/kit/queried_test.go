package kit_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

func queried() kit.Queried {
	return kit.Queried{Title: "Bookings, by sailing!", Way: "postgresql", Every: 2 * time.Minute,
		Statement: "SELECT sailing,\n count(*) AS \"Booked now\" FROM bookings GROUP BY 1 -- : {x}",
		Columns: []kit.QueriedColumn{
			{Of: "sailing", Is: kit.Instances},
			{Of: "Booked now", Is: kit.Numbers, Name: "Booked"},
			{Of: "booked_now", Is: kit.Counts, Unit: "1/s"},
			{Of: "says", Is: kit.Texts},
			{Of: "more", Is: kit.LeftOut},
		}}
}

// A statement that a person wrote becomes a kit that can be read again, and asks just that.
func TestAKitOfAStatement(t *testing.T) {
	text, err := queried().Document()
	require.NoError(t, err)
	k, err := kit.Parse([]byte(text), testkit.Ways.Described(), kinds.All)
	require.NoError(t, err, text)
	assert.Equal(t, "bookings-by-sailing", k.Name)
	src := k.Sources[0]
	assert.Equal(t, queried().Statement, src.Ask["query"])
	assert.Equal(t, 2*time.Minute, src.Every)
	var of []string
	for _, c := range src.Columns() {
		of = append(of, c.As+"="+c.Of)
	}
	assert.Equal(t, []string{"sailing=sailing", "booked_now=Booked now", "booked_now_2=counter:booked_now", "says=says"}, of)
	require.Len(t, k.Parts, 1)
	require.Len(t, k.Readings, 3)
	assert.Equal(t, "Booked", k.Readings[0].Name)
	assert.Equal(t, "row", k.Readings[0].Of)
	assert.True(t, k.Readings[2].Text)

	q := queried()
	q.Columns = q.Columns[1:2]
	text, err = q.Document()
	require.NoError(t, err)
	k, err = kit.Parse([]byte(text), testkit.Ways.Described(), kinds.All)
	require.NoError(t, err)
	assert.Empty(t, k.Readings[0].Of, "without instances it is of the device")
}

func TestAKitOfAStatementIsChecked(t *testing.T) {
	q := queried()
	q.Title, q.Every, q.Columns = " ", time.Second, []kit.QueriedColumn{{Of: "a", Is: kit.LeftOut}, {Of: "b", Is: kit.Instances}, {Of: "c"}}
	_, err := q.Document()
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	for _, at := range []string{"title", "every", "column", "column.1", "column.2"} {
		assert.NotEmpty(t, errs[at], at)
	}
}
