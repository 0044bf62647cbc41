package store_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// grown is a database with so many devices, each with so many ports.
func grown(tb testing.TB, devices, ports int) *store.Store {
	tb.Helper()
	s := testkit.Store(tb)
	for _, statement := range []struct {
		sql  string
		args []any
	}{
		{"INSERT INTO places (name, kind) VALUES ('Outer Line', 'organisation')", nil},
		{`INSERT INTO all_devices (place_id, name, friendly, address, kind, vendor, model, description, object_id, identity, health,
			health_since, health_note, created_at)
			SELECT (SELECT id FROM places), (ARRAY['booking-db', 'np-sw', 'gr-edge', 'kiosk', 'quay-ap'])[1 + n % 5] || '-' || n,
			'number ' || n || ' of the ' || (ARRAY['harbour', 'pier', 'terminal'])[1 + n % 3],
			'10.0.0.0'::inet + n, 'switch', '', '', '', '', '', 'fine', now(), '', now()
			FROM generate_series(1, $1::int) n`, []any{devices}},
		{"INSERT INTO device_addresses SELECT id, address FROM all_devices", nil},
		{`INSERT INTO parts (device_id, kit, kind, key, index, called, name, marks, reason, note, speed)
			SELECT d.id, 'interfaces', 'interface', 'port' || n, n::text, '', 'port' || n, '', '',
			CASE WHEN n = 1 THEN 'uplink of ' || d.name ELSE 'desk ' || n END, 0
			FROM all_devices d, generate_series(1, $1::int) n`, []any{ports}},
		{"ANALYZE", nil},
	} {
		_, err := s.Pool().Exec(tb.Context(), statement.sql, statement.args...)
		require.NoError(tb, err)
	}
	return s
}

func TestEverythingIsFoundByFragments(t *testing.T) {
	s := grown(t, 20, 2)
	names := func(typed string) (out []string) {
		hits, err := s.Hits.Find(t.Context(), typed, 10)
		require.NoError(t, err)
		for _, h := range hits {
			out = append(out, h.Kind+" "+h.Name)
		}
		return out
	}
	devices, err := s.Devices.All(t.Context())
	require.NoError(t, err)
	attribute := domain.Attribute{DeviceID: devices[0].ID, Name: "contact", Value: "Harbour master"}
	require.NoError(t, s.Attributes.Set(t.Context(), []domain.Attribute{attribute}))

	assert.Equal(t, []string{"device np-sw-1"}, names("np-sw-1")[:1], "the shortest first")
	assert.Contains(t, names("10.0.0.7"), "device gr-edge-7")
	assert.Contains(t, names("number 7 of"), "device gr-edge-7", "the friendly name")
	assert.Contains(t, names("master"), "device "+devices[0].Name, "an attribute")
	assert.Contains(t, names("outer"), "place Outer Line")
	assert.Contains(t, names("uplink of kiosk-3"), "part port1 of kiosk-3")
	words, err := s.Hits.Words(t.Context())
	require.NoError(t, err)
	assert.Subset(t, words, []string{"booking", "edge", "harbour", "outer", "line", "contact", "master"})
	assert.NotContains(t, words, "quay-ap")
	for _, nothing := range []string{"xyz", "zzzzzz", "%", "_", `\`} {
		assert.Empty(t, names(nothing), nothing)
	}
}

// BenchmarkSearch searches among 10,000 devices and 200,000 parts, which is 400,000 series
// of two readings each.
func BenchmarkSearch(b *testing.B) {
	s := grown(b, 10_000, 20)
	for _, typed := range []string{"n", "np", "edge", "np-sw-4711", "bookng-db", "10.0.3.", "uplink of gr", "desk 7", "nothing like it"} {
		b.Run(typed, func(b *testing.B) {
			for b.Loop() {
				if _, err := s.Hits.Find(b.Context(), typed, 10); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// BenchmarkDevicesFound asks for pages of 100 devices, of all and by a fragment that a fifth
// of them have.
func BenchmarkDevicesFound(b *testing.B) {
	s := grown(b, 10_000, 1)
	for name, search := range map[string]string{"all": "", "by a fragment": "edge"} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				f := domain.DeviceFilter{Search: search, Page: &domain.Page{Limit: 100, Sort: "name"}}
				if _, _, err := s.Devices.Find(b.Context(), f); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
