package ways

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// A wrong password is tried after 2, 4, 8, 16, 30, 30 ... minutes, and never each minute: in a day about 50 times instead
// of 1,440.
func TestARefusedCredentialRests(t *testing.T) {
	now, asked, takes := time.Now(), 0, "lamp"
	c := NewCareful(List{{Way: way.Way{Name: "door", Columns: func(way.Settings) []way.Column { return CheckColumns }},
		Ask: func(_ context.Context, q way.Question) (derive.Fetched, error) {
			asked++
			checked := Checked{Says: "lets in"}
			if q.Credential.Secrets["password"].Reveal() != takes {
				checked = Checked{Verdict: verdict.SignInFailed, Says: "not taken"}
			}
			return derive.Fetched{Rows: []derive.Row{checked.Row(CheckColumns)}}, nil
		}}})
	c.now = func() time.Time { return now }
	ask := func(password string) (verdict.Verdict, string) {
		q := way.Question{Device: 7, Key: "door/ask", Way: "door", Columns: CheckColumns,
			Credential: way.Opened{Kind: "pair", Secrets: domain.Secrets{"password": domain.Secret(password)}}}
		got := c.Ask(t.Context(), q)
		require.Empty(t, got.Error)
		return verdict.Verdict(got.Rows[0].Values[0].Num), got.Rows[0].Values[1].Text
	}
	var tried []int // minutes
	var said []string
	for minute := range 24 * 60 {
		before := asked
		v, says := ask("rope")
		require.Equal(t, verdict.SignInFailed, v)
		if asked > before {
			tried = append(tried, minute)
		} else if len(said) == 0 || said[len(said)-1] != says {
			said = append(said, says)
		}
		now = now.Add(time.Minute)
	}
	assert.Equal(t, []int{0, 2, 6, 14, 30, 60, 90, 120}, tried[:8])
	assert.Len(t, tried, 51)
	require.Len(t, said, 1, "what is told while it rests is the same each time")
	assert.Contains(t, said[0], "not taken; it is tried again at longer and longer pauses, up to 30m0s")

	v, _ := ask("lamp")
	assert.Equal(t, verdict.Passes, v, "another credential is tried at once")
	takes = "rope"
	now = now.Add(time.Hour)
	v, _ = ask("rope")
	assert.Equal(t, verdict.Passes, v)
	takes = "lamp"
	before := asked
	ask("rope")
	now = now.Add(2 * time.Minute)
	ask("rope")
	assert.Equal(t, before+2, asked, "after it was let in, the pauses begin anew")

	// Who tries by hand is not kept from it, and is told how it stands.
	q := way.Question{Device: 7, Key: "door/ask", Way: "door", Columns: CheckColumns, Exchange: way.NewExchange(now),
		Credential: way.Opened{Kind: "pair", Secrets: domain.Secrets{"password": "rope"}}}
	c.Ask(t.Context(), q)
	assert.Equal(t, before+3, asked)
	require.Len(t, q.Exchange.Lines, 1)
	assert.Equal(t, "refused 3 times in a row: collecting tries it again in 8m0s", q.Exchange.Lines[0].Text)
	ask("rope")
	assert.Equal(t, before+3, asked)
	c.Lift(7)
	ask("rope")
	ask("rope")
	assert.Equal(t, before+4, asked, "whoever asks for it has it tried once")
	before++
	q.Credential = way.Opened{}
	c.Ask(t.Context(), way.Question{Way: "door", Device: 7, Columns: CheckColumns})
	c.Ask(t.Context(), way.Question{Way: "door", Device: 7, Columns: CheckColumns})
	assert.Equal(t, before+5, asked, "without a credential no account can be locked")
}

// Where all that is asked of a device signs in at one place, what is refused once rests for all of it, with or without a
// verdict.
func TestOneAccountRestsAsOne(t *testing.T) {
	asked, taken := 0, false
	c := NewCareful(List{{Way: way.Way{Name: "base", OneAccount: true},
		Ask: func(context.Context, way.Question) (derive.Fetched, error) {
			if asked++; !taken {
				return derive.Fetched{}, Fail(derive.Denied, errors.New("not taken"))
			}
			return derive.Fetched{Rows: []derive.Row{{}}}, nil
		}}})
	now := time.Now()
	c.now = func() time.Time { return now }
	q := way.Question{Device: 7, Key: "kit/sizes", Way: "base", Credential: way.Opened{Kind: "pair"}}
	assert.Equal(t, "not taken", c.Ask(t.Context(), q).Error)
	q.Key = "kit/locks"
	got := c.Ask(t.Context(), q)
	assert.Equal(t, derive.Denied, got.Failure)
	assert.Contains(t, got.Error, "not taken; it is tried again at longer and longer pauses")
	q.Columns = CheckColumns
	got = c.Ask(t.Context(), q)
	require.Len(t, got.Rows, 1)
	assert.Equal(t, float64(verdict.SignInFailed), got.Rows[0].Values[0].Num)
	assert.Equal(t, 1, asked)
	q.Endpoint = way.Settings{"port": "5433"}
	c.Ask(t.Context(), q)
	assert.Equal(t, 2, asked, "another server on the device is another account")
	taken, now = true, now.Add(3*time.Minute)
	q.Endpoint, q.Columns = nil, nil
	assert.Empty(t, c.Ask(t.Context(), q).Error)
	q.Key = "kit/sizes"
	assert.Empty(t, c.Ask(t.Context(), q).Error)
	assert.Equal(t, 4, asked)
}

// What was refused long ago, and is asked no more, is forgotten.
func TestRefusalsAreForgotten(t *testing.T) {
	c := NewCareful(List{{Way: way.Way{Name: "base", OneAccount: true},
		Ask: func(context.Context, way.Question) (derive.Fetched, error) {
			return derive.Fetched{}, Fail(derive.Denied, errors.New("not taken"))
		}}})
	now := time.Now()
	c.now = func() time.Time { return now }
	for id := range domain.ID(mostRefused) {
		c.Ask(t.Context(), way.Question{Device: id, Way: "base", Credential: way.Opened{Kind: "pair"}})
	}
	require.Len(t, c.refused, mostRefused)
	now = now.Add(48 * time.Hour)
	c.Ask(t.Context(), way.Question{Device: 5000, Way: "base", Credential: way.Opened{Kind: "pair"}})
	assert.Len(t, c.refused, 1)
}
