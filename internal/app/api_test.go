package app

import (
	"encoding/json"
	"io"
	"net/http"

	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/api"
	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
)

func TestIncidentsOverTheAPI(t *testing.T) {
	r, _ := world(t)
	var open api.Items[api.Incident]
	require.Equal(t, 200, r.call(t, "GET", "/incidents?state=open&limit=1", nil, &open))
	require.Len(t, open.Items, 1)
	assert.GreaterOrEqual(t, open.Total.Count, int64(1))
	path := fmt.Sprintf("/incidents/%d", open.Items[0].ID)
	var in api.Dossier
	require.Equal(t, 200, r.call(t, "GET", path, nil, &in))
	assert.NotEmpty(t, in.Alerts)
	assert.NotEmpty(t, in.Events)
	assert.NotEmpty(t, in.Why.Question, "the reasons travel with the data")

	require.Equal(t, 200, r.call(t, "POST", path+"/acknowledge", nil, &in))
	assert.Equal(t, "acknowledged", in.State)
	assert.Equal(t, "test", in.AcknowledgedBy, "the token's name")
	assert.Equal(t, 422, r.call(t, "POST", path+"/comment", map[string]any{"text": " "}, nil))
	assert.Equal(t, 422, r.call(t, "POST", path+"/comment", map[string]any{"text": strings.Repeat("x", 10_001)}, nil))
	require.Equal(t, 200, r.call(t, "POST", path+"/comment", map[string]any{"text": "the card is exchanged"}, &in))
	require.Equal(t, 200, r.call(t, "POST", path+"/resolve", map[string]any{"text": ""}, &in))
	assert.Equal(t, "resolved", in.State)
	var p problem
	assert.Equal(t, 409, r.call(t, "POST", path+"/resolve", map[string]any{"text": ""}, &p))
	assert.Equal(t, 409, p.Status)
	assert.Equal(t, 404, r.call(t, "GET", "/incidents/99999", nil, nil))
	assert.Equal(t, 422, r.call(t, "GET", "/incidents?state=strange", nil, nil))
	assert.Equal(t, 422, r.call(t, "GET", "/incidents?limit=100000", nil, nil))

	var alerts list[api.Alert]
	require.Equal(t, 200, r.call(t, "GET", fmt.Sprintf("/alerts?device_id=%d", in.DeviceID), nil, &alerts))
	assert.NotEmpty(t, alerts.Items)
	for _, path := range []string{"/deliveries?state=failed", "/tickets", "/alerts?open=true"} {
		assert.Equal(t, 200, r.call(t, "GET", path, nil, nil), path)
	}
}

func TestTransitionsAndSamplesOverTheAPI(t *testing.T) {
	r, _ := world(t)
	now := time.Now().UTC()
	var changes list[api.Transition]
	require.Equal(t, 200, r.call(t, "GET", "/transitions?limit=5", nil, &changes))
	require.NotEmpty(t, changes.Items)
	for i := 1; i < len(changes.Items); i++ {
		assert.False(t, changes.Items[i].At.After(changes.Items[i-1].At.Time), "newest first")
	}
	assert.NotEmpty(t, changes.Items[0].Why.Question)
	var devices list[api.Device]
	require.Equal(t, 200, r.call(t, "GET", "/devices", nil, &devices))
	require.Len(t, devices.Items, 69)
	var readings list[struct {
		ID      int64
		Reading string
		Value   *float64
	}]
	require.Equal(t, 200, r.call(t, "GET", fmt.Sprintf("/devices/%d/readings", devices.Items[0].ID), nil, &readings))
	require.NotEmpty(t, readings.Items)
	series := fmt.Sprintf("/series/%d", readings.Items[0].ID)
	var one api.Series
	require.Equal(t, 200, r.call(t, "GET", series, nil, &one))
	assert.Equal(t, readings.Items[0].Reading, one.Reading)
	ask := url.Values{"from": {now.Add(-30 * time.Minute).Format(time.RFC3339)}, "to": {now.Format(time.RFC3339)}, "points": {"10"}}
	var samples struct {
		Unit    string
		Rollups []api.Rollup
	}
	require.Equal(t, 200, r.call(t, "GET", series+"/samples?"+ask.Encode(), nil, &samples))
	require.NotEmpty(t, samples.Rollups)
	assert.LessOrEqual(t, len(samples.Rollups), 11)
	for _, s := range samples.Rollups {
		assert.LessOrEqual(t, s.Min, s.Avg+1e-9)
		assert.LessOrEqual(t, s.Avg, s.Max+1e-9)
		assert.Positive(t, s.Count)
	}
	for _, wrong := range []string{"points=0", "points=x", "from=yesterday", "to=1"} {
		assert.Equal(t, 422, r.call(t, "GET", series+"/samples?"+wrong, nil, nil), wrong)
	}
	assert.Equal(t, 404, r.call(t, "GET", "/series/99999/samples", nil, nil))
}

func TestRulesOverTheAPI(t *testing.T) {
	r, _ := world(t)
	var rules list[map[string]any]
	require.Equal(t, 200, r.call(t, "GET", "/rules", nil, &rules))
	rule := rules.Items[0]
	path := fmt.Sprintf("/rules/%.0f", rule["id"])
	for _, fixed := range []string{"id", "key", "kit", "reading", "unit", "words", "version"} {
		delete(rule, fixed)
	}
	assert.Equal(t, "limit", rule["kind"])
	limits := func(levels string) json.RawMessage {
		return json.RawMessage(`{"side": "above", "for": "2 values", "levels": ` + levels + `}`)
	}
	rule["name"], rule["condition"] = "ours", limits(`{"critical": {"at": 80, "recover": 60}}`)
	var saved map[string]any
	require.Equal(t, 200, r.call(t, "PUT", path, rule, &saved))
	assert.Equal(t, "ours", saved["name"])
	assert.Contains(t, saved["words"], "80")
	rule["condition"] = limits(`{"awful": {"at": 80}}`)
	assert.Equal(t, 422, r.call(t, "PUT", path, rule, nil))
	rule["kind"] = "moon"
	assert.Equal(t, 422, r.call(t, "PUT", path, rule, nil))
	rule["kind"], rule["condition"] = "limit", limits(`{}`)
	var p problem
	assert.Equal(t, 422, r.call(t, "PUT", path, rule, &p))
	assert.NotEmpty(t, p.Errors)
	for _, fixed := range []string{"id", "key", "kit", "reading", "unit", "words", "version"} {
		delete(saved, fixed)
	}
	assert.Equal(t, 404, r.call(t, "PUT", "/rules/9999", saved, nil))
}

// What is broken on the drill page is broken in the estate, and mended again.
func TestDrillsInTheScreens(t *testing.T) {
	r, client := world(t)
	c := browser(t)
	r.signIn(t, c, demo.Password)
	status, body := post(t, c, r.url+"/run/drill", url.Values{"kind": {"stop"}, "target": {"nobody"}})
	assert.Equal(t, 200, status)
	assert.Contains(t, body, `role="alert"`)
	assert.Contains(t, body, "there is no device nobody")
	for form, says := range map[string]string{
		"kind=stop&target=sh-sw-1": "sh-sw-1 is stopped", "kind=cut&target=Sandhaven": "Sandhaven is cut off",
		"kind=fill&target=log-1+/data": "/data of log-1 fills",
	} {
		values, err := url.ParseQuery(form)
		require.NoError(t, err)
		status, body = post(t, c, r.url+"/run/drill", values)
		assert.Equal(t, 200, status)
		assert.Contains(t, body, says)
		_, body = post(t, c, r.url+"/run/drill", values)
		assert.Contains(t, body, "already")
	}
	faults, err := client.Faults(t.Context())
	require.NoError(t, err)
	require.Len(t, faults, 3)
	for _, f := range faults {
		status, body = post(t, c, fmt.Sprintf("%s/run/drill/%d/mend", r.url, f.ID), nil)
		assert.Equal(t, 200, status)
	}
	assert.Contains(t, body, "Nothing is broken")
	_, body = post(t, c, r.url+"/run/drill/99/mend", nil)
	assert.Contains(t, body, "no such fault")
}

// A failed delivery is shown with the service's words, and tried again when
// somebody says so.
func TestFailedDeliveryIsRetriedInTheScreens(t *testing.T) {
	r, _ := world(t)
	c, ctx := browser(t), t.Context()
	r.signIn(t, c, demo.Password)
	in := r.incident(t)
	channels, err := r.Store.Channels.All(ctx)
	require.NoError(t, err)
	d, err := r.Store.Deliveries.Add(
		ctx,
		domain.Delivery{
			IncidentID: in.ID,
			Kind:       domain.DeliverMessage,
			ChannelID:  channels[0].ID,
			Recipient:  "gone@kittiwake.example",
			Subject:    "Warning: <x>",
			CreatedAt:  time.Now().Add(time.Hour),
		},
	)
	require.NoError(t, err)
	d.State, d.Error, d.NextTryAt, d.DoneAt = domain.DeliveryFailed, "550 no such mailbox", time.Now(), time.Now()
	require.NoError(t, r.Store.Deliveries.Finish(ctx, d))
	told := func() bool {
		_, body, _ := get(t, c, r.url+"/estate-strip")
		return strings.Contains(body, "1 message undelivered")
	}
	assert.Eventually(t, told, 10*time.Second, 100*time.Millisecond, "every page tells that somebody was not told")
	_, body, _ := get(t, c, r.url+"/respond/deliveries?state=failed")
	assert.Contains(t, body, "550 no such mailbox")
	assert.Contains(t, body, "Warning: &lt;x&gt;")
	_, body, _ = get(t, c, fmt.Sprintf("%s/incidents/%d", r.url, in.ID))
	assert.Contains(t, body, "failed for good")
	_, body, _ = get(t, c, fmt.Sprintf("%s/why/delivery/%d", r.url, d.ID))
	assert.Contains(t, body, "It failed for good")
	status, _ := post(t, c, fmt.Sprintf("%s/respond/deliveries/%d/retry", r.url, d.ID), nil)
	assert.Equal(t, 303, status)
	require.Eventually(t, func() bool {
		got, err := r.Store.Deliveries.One(ctx, d.ID)
		return err == nil && got.State == domain.DeliverySent
	}, 15*time.Second, 50*time.Millisecond)
	assert.Eventually(t, func() bool { return !told() }, 10*time.Second, 100*time.Millisecond)
	status, _ = post(t, c, fmt.Sprintf("%s/respond/deliveries/%d/retry", r.url, d.ID), nil)
	assert.Equal(t, 404, status, "what was sent is not sent again")
}

func TestSamplesGoOutAndComeInOverTheAPI(t *testing.T) {
	r, _ := world(t)
	ask := func(method, path, body string) (int, string, http.Header) {
		req, err := http.NewRequestWithContext(t.Context(), method, r.url+"/api/v1/samples/"+path, strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+r.token)
		req.Header.Set("Content-Type", "text/plain")
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		data, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, string(data), res.Header
	}
	for _, f := range exchange.Formats {
		status, text, header := ask("GET", "export?device=log-1&reading=cpu&format="+string(f), "")
		require.Equal(t, 200, status, text)
		assert.Equal(t, f.MediaType(), header.Get("Content-Type"))
		assert.Contains(t, text, "log-1")
		status, answer, _ := ask("POST", "import?dry_run=true&format="+string(f), text)
		assert.Equal(t, 200, status, answer)
		assert.Contains(t, answer, `"series":1`)
		status, answer, _ = ask("POST", "import?format="+string(f), text)
		assert.Equal(t, 200, status, answer)
		_, again, _ := ask("GET", "export?device=log-1&reading=cpu&format="+string(f), "")
		assert.GreaterOrEqual(t, strings.Count(again, "\n"), strings.Count(text, "\n"))
	}
	status, answer, _ := ask("POST", "import?format=csv", "device,kit,reading,at,value\nnobody,k,r,2026-11-01T00:00:00Z,1\n")
	assert.Equal(t, 422, status)
	assert.Contains(t, answer, "line 2")
	assert.Contains(t, answer, "there is no device")
	status, _, _ = ask("GET", "export?format=xml", "")
	assert.Equal(t, 422, status)

	c := browser(t)
	r.signIn(t, c, demo.Password)
	status, text, header := get(t, c, r.url+"/series/1/samples?format=csv&span=6h")
	assert.Equal(t, 200, status)
	assert.Contains(t, header.Get("Content-Disposition"), ".csv")
	assert.Contains(t, text, "device,part,kit,reading,unit,at,value,text\n")
	status, _, _ = get(t, c, r.url+"/series/1/samples?format=xml")
	assert.Equal(t, 422, status)
}

func TestReadingsAreCombinedOverTheAPI(t *testing.T) {
	r, _ := world(t)
	type combined struct {
		Unit    string
		Series  int
		Rollups []struct {
			Value  float64
			Series int
		}
		Top []struct {
			Device string
			Value  float64
		}
	}
	ask := func(how string) (out combined) {
		require.Equal(t, 200, r.call(t, "GET", "/samples/combined?kit=host-resources&reading=cpu&points=4&top=3&how="+how, nil, &out))
		require.NotEmpty(t, out.Rollups)
		return out
	}
	sum, avg, low, high := ask("sum"), ask("avg"), ask("min"), ask("max")
	assert.Equal(t, "%", sum.Unit)
	assert.Equal(t, 36, sum.Series)
	require.Len(t, sum.Top, 3)
	assert.GreaterOrEqual(t, sum.Top[0].Value, sum.Top[1].Value)
	assert.InDelta(t, sum.Rollups[0].Value, avg.Rollups[0].Value*float64(avg.Rollups[0].Series), 1e-6)
	assert.LessOrEqual(t, low.Rollups[0].Value, avg.Rollups[0].Value)
	assert.GreaterOrEqual(t, high.Rollups[0].Value, avg.Rollups[0].Value)
	assert.Equal(t, 404, r.call(t, "GET", "/samples/combined?kit=none&reading=cpu", nil, nil))
	assert.Equal(t, 422, r.call(t, "GET", "/samples/combined?kit=host-resources&reading=cpu&how=median", nil, nil))
	assert.Equal(t, 422, r.call(t, "GET", "/samples/combined?reading=cpu", nil, nil))
}
