package demo

import (
	"net/http"
	"net/http/httptest"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

const past = `[{"oid":"1.2.1.5","type":"text","fixed":"wan0"},` +
	`{"oid":"1.2.8.5","type":"text","fixed":""},{"oid":"1.2.2.5","type":"counter64"},` +
	`{"oid":"1.9.1","type":"gauge"},{"oid":"1.2.2.7","type":"counter64"}]
1000,1,12000,4200,77,5,88
1060,0
`

func TestHistoryBecomesAnswers(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "192.0.2.1", r.URL.Query().Get("address"))
		_, _ = w.Write([]byte(past))
	}))
	defer server.Close()
	requests := []way.Question{
		{Key: "r/probe", Columns: []way.Column{{As: "time"}, {As: "loss"}}},
		{Key: "t/table", Columns: []way.Column{{As: "name", Of: "1.2.1"}, {As: "in", Of: "1.2.2"}}},
	}
	var got [][]derive.Fetched
	h := History{Client: &Client{URL: server.URL}}
	err := h.Each(
		t.Context(),
		domain.Device{Address: netip.MustParseAddr("192.0.2.1")},
		requests,
		time.Unix(1000, 0),
		time.Unix(2000, 0),
		time.Minute,
		func(a []derive.Fetched) {
			copied := append([]derive.Fetched(nil), a...)
			for i := range copied {
				copied[i].Rows = nil
				for _, row := range a[i].Rows {
					copied[i].Rows = append(
						copied[i].Rows,
						derive.Row{Index: row.Index, Values: append([]derive.Value(nil), row.Values...)},
					)
				}
			}
			got = append(got, copied)
		},
	)
	require.NoError(t, err)
	require.Len(t, got, 2)
	assert.Equal(t, 0.012, got[0][0].Rows[0].Values[0].Num, "12000 µs")
	assert.Equal(t, 0.0, got[0][0].Rows[0].Values[1].Num)
	table := got[0][1]
	assert.Equal(t, uint32(4200), table.Uptime)
	require.Len(t, table.Rows, 2)
	assert.Equal(t, "wan0", table.Rows[0].Values[0].Text)
	assert.Equal(t, uint64(77), table.Rows[0].Values[1].Count)
	assert.Equal(t, uint64(88), table.Rows[1].Values[1].Count, "columns that nobody asks for are passed over")
	assert.Equal(t, 100.0, got[1][0].Rows[0].Values[1].Num, "silence is a loss of 100 %")
	assert.True(t, got[1][1].NoAnswer)
}

func TestClientTellsWhatTheEstateSays(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusConflict)
		_, _ = w.Write([]byte(`{"detail":"that is broken already"}`))
	}))
	c := Client{URL: server.URL}
	_, err := c.Break(t.Context(), domain.Fault{Kind: "stop"})
	assert.ErrorContains(t, err, "broken already")
	server.Close()
	_, err = c.Devices(t.Context())
	assert.ErrorContains(t, err, "cannot be reached")
}

func TestVendors(t *testing.T) {
	assert.Equal(t, "Halyard Power", vendorOf("HP-3000"))
	assert.Empty(t, vendorOf("unheard of"))
	assert.Equal(t, "80007ed904"+"6c6f67", EngineID("log"), "enterprise 32473 with the first bit set, format 4, then the text")
}
