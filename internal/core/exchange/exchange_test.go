package exchange

import (
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func text(s string) *string { return &s }

func some() []Record {
	return []Record{
		{"log-1", "/data", "host-resources", "volume_share", "%", noon, 83.2, nil},
		{"log-1", "/data", "host-resources", "volume_share", "%", noon.Add(1234 * time.Millisecond), 1.0 / 3, nil},
		{"log-1", `C:\ "old", new` + "\nline", "host-resources", "volume_share", "%", noon, -1e-9, nil},
		{"Möwe ⚓", "", "reachability", "time", "s", noon.Add(time.Hour), 0, nil},
		{"Möwe ⚓", "", "system", "description", "", noon, 0, text("release \"6.2\", Linux\nx86_64")},
		{"Möwe ⚓", "", "system", "description", "", noon.Add(time.Minute), 0, text("")},
		{"=1+1", "-port", "@kit", "+reading", "'=", noon, 7, nil},
		{"=1+1", "", "system", "description", "", noon, 0, text("=cmd|' /C calc'!A0")},
	}
}

func TestEveryFormatGivesBackWhatWasWritten(t *testing.T) {
	for _, f := range Formats {
		var text strings.Builder
		w, err := NewWriter(f, &text)
		require.NoError(t, err)
		for _, r := range some() {
			require.NoError(t, w.Write(r))
		}
		require.NoError(t, w.Close())
		var got []Record
		require.NoError(
			t,
			Read(f, strings.NewReader(text.String()), func(r Record) error { got = append(got, r); return nil }),
			"%s",
			text.String(),
		)
		assert.Equal(t, some(), got, f)
		assert.NotEmpty(t, f.MediaType())
		assert.True(t, strings.HasPrefix(f.Extension(), "."))
	}
	_, err := ParseFormat("xml")
	assert.ErrorIs(t, err, ErrFormat)
	f, err := ParseFormat("CSV")
	require.NoError(t, err)
	assert.Equal(t, CSV, f)
}

func TestOpenMetricsIsAsTheStandardSays(t *testing.T) {
	var text strings.Builder
	w, _ := NewWriter(OpenMetrics, &text)
	for _, r := range some()[:2] {
		require.NoError(t, w.Write(r))
	}
	require.NoError(t, w.Close())
	assert.Equal(t, `# TYPE owl_host_resources_volume_share gauge
# HELP owl_host_resources_volume_share volume_share of the kit host-resources
owl_host_resources_volume_share{device="log-1",part="/data",kit="host-resources",reading="volume_share",unit="%"} 83.2 1795435200.000
owl_host_resources_volume_share{device="log-1",part="/data",kit="host-resources",reading="volume_share",unit="%"} `+
		"0.3333333333333333 1795435201.234\n# EOF\n", text.String())
}

func TestWrongLinesAreNamed(t *testing.T) {
	const head = "device,part,kit,reading,unit,at,value\n"
	for name, c := range map[string]struct {
		f    Format
		text string
		line int
		want string
	}{
		"no JSON": {
			NDJSON, "{\"device\":\"a\",\"kit\":\"k\",\"reading\":\"r\",\"at\":\"2026-11-23T12:00:00Z\",\"value\":1}\n\nwobble\n",
			3, "not a sample",
		},
		"unknown field":   {NDJSON, `{"wobble":1}`, 1, "wobble"},
		"no device":       {NDJSON, `{"kit":"k","reading":"r","at":"2026-11-23T12:00:00Z","value":1}`, 1, "device, kit and reading"},
		"no time":         {NDJSON, `{"device":"d","kit":"k","reading":"r","value":1}`, 1, "time is missing"},
		"no head":         {CSV, "", 1, "a head is needed"},
		"column missing":  {CSV, "device,kit,reading,at\n", 1, `no column "value"`},
		"no number":       {CSV, head + "d,,k,r,,2026-11-23T12:00:00Z,many\n", 2, `"many" is not a number`},
		"no date":         {CSV, head + "d,,k,r,,yesterday,1\n", 2, `"yesterday" is not a time`},
		"not finite":      {CSV, head + "d,,k,r,,2026-11-23T12:00:00Z,NaN\n", 2, "not a finite number"},
		"wrong count":     {CSV, head + "d,,k,r,,2026-11-23T12:00:00Z,1\nd,k\n", 3, "wrong number of fields"},
		"open quote":      {CSV, head + "\"d", 2, "\""},
		"no labels":       {OpenMetrics, "up 1 2\n# EOF\n", 1, "labels"},
		"no name":         {OpenMetrics, "{device=\"a\",kit=\"k\",reading=\"r\"} 1 2\n# EOF\n", 1, "a name"},
		"too late":        {OpenMetrics, "x{device=\"a\",kit=\"k\",reading=\"r\"} 1 100000000001\n# EOF\n", 1, "not a time"},
		"too early":       {OpenMetrics, "x{device=\"a\",kit=\"k\",reading=\"r\"} 1 -100000000001\n# EOF\n", 1, "not a time"},
		"neither of both": {CSV, head[:len(head)-1] + ",text\nd,,k,r,,2026-11-23T12:00:00Z,,\n", 2, "\"\" is not a number"},
		"open label":      {OpenMetrics, "x{device=\"a} 1 2\n# EOF\n", 1, "does not end"},
		"no value":        {OpenMetrics, "x{device=\"a\",kit=\"k\",reading=\"r\"}\n# EOF\n", 1, "a value and a time"},
		"time of day":     {OpenMetrics, "x{device=\"a\",kit=\"k\",reading=\"r\"} 1 noon\n# EOF\n", 1, "not a time"},
		"long head":       {CSV, "device," + strings.Repeat("x", 1<<19), 1, "longer than 262144 bytes"},
		"long quote":      {CSV, head + "d,,k,r,,2026-11-23T12:00:00Z,1\n\"" + strings.Repeat("x\n", 1<<18), 3, "longer than"},
		"year 1500":       {CSV, head + "d,,k,r,,1500-01-01T00:00:00Z,1\n", 2, "the year 1500"},
		"year 9999":       {NDJSON, `{"device":"d","kit":"k","reading":"r","at":"9999-01-01T00:00:00Z","value":1}`, 1, "the year 9999"},
		"NUL":             {CSV, head + "d\x00,,k,r,,2026-11-23T12:00:00Z,1\n", 2, "NUL"},
		"no UTF-8":        {CSV, head + "d\xff,,k,r,,2026-11-23T12:00:00Z,1\n", 2, "no text in UTF-8"},
		"text behind end": {OpenMetrics, "# EOF\nx\n", 2, "behind # EOF"},
	} {
		err := Read(c.f, strings.NewReader(c.text), func(Record) error { return nil })
		var wrong *LineError
		require.ErrorAs(t, err, &wrong, name)
		assert.Equal(t, c.line, wrong.Line, name)
		assert.Contains(t, err.Error(), c.want, name)
	}
	assert.ErrorContains(t, Read(OpenMetrics, strings.NewReader("# TYPE x gauge\n"), nil), "cut off")
	refused := errors.New("no such device")
	err := Read(
		NDJSON,
		strings.NewReader(`{"device":"d","kit":"k","reading":"r","at":"2026-11-23T12:00:00Z","value":1}`),
		func(Record) error { return refused },
	)
	assert.ErrorIs(t, err, refused)
}

func TestCSVColumnsMayStandInAnyOrder(t *testing.T) {
	text := "\ufeffValue, At,READING,kit,device,more\n7,2026-11-23T13:00:00+01:00,r,k,d,x\n"
	var got Record
	require.NoError(t, Read(CSV, strings.NewReader(text), func(r Record) error { got = r; return nil }))
	assert.Equal(t, Record{Device: "d", Kit: "k", Reading: "r", At: noon, Value: 7}, got)
}

func TestValuesAndTextsInCSV(t *testing.T) {
	const head = "device,kit,reading,at,value,text\nd,k,r,2026-11-23T12:00:00Z,"
	for row, want := range map[string]Record{
		"7,":       {Value: 7},
		"7,seven":  {Value: 7}, // a number is a number
		",seven":   {Text: text("seven")},
		"text,":    {Text: text("")},
		"text,two": {Text: text("two")},
	} {
		var got Record
		require.NoError(t, Read(CSV, strings.NewReader(head+row+"\n"), func(r Record) error { got = r; return nil }), row)
		want.Device, want.Kit, want.Reading, want.At = "d", "k", "r", noon
		assert.Equal(t, want, got, row)
	}
}

// The names of OpenMetrics have letters, digits and underscores; those beside
// them in ASCII are none.
func TestFamilyNames(t *testing.T) {
	assert.Equal(t, "owl_azAZ09___", familyName("azAZ09", "_-"))
	assert.Equal(t, "owl____________", familyName("`{@[/:", "é €."))
	const edge = "x{device=\"a\",kit=\"k\",reading=\"r\"} 1 "
	for seconds, year := range map[string]int{"0": 1970, "7258118399": 2199} {
		var got Record
		require.NoError(t, Read(OpenMetrics, strings.NewReader(edge+seconds+"\n# EOF\n"), func(r Record) error { got = r; return nil }))
		assert.Equal(t, year, got.At.Year())
	}
}

func FuzzRead(f *testing.F) {
	f.Add("ndjson", `{"device":"d"}`)
	f.Add("csv", "device,kit,reading,at,value\n1,2,3,4,5\n")
	f.Add("openmetrics", "x{device=\"\\\\\"} 1 2\n# EOF\n")
	f.Fuzz(func(_ *testing.T, format, text string) {
		_ = Read(Format(format), strings.NewReader(text), func(Record) error { return nil })
	})
}
