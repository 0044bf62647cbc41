package collect_test

import (
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// A reading more on two devices, one less on their three rows: 2 series come, 3 go.
func TestAVersionIsRehearsed(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	require.NoError(t, svc.Load(ctx))
	other, err := s.Devices.Add(ctx, domain.Device{PlaceID: d.PlaceID, Name: "np-sw-2", Address: netip.MustParseAddr("192.0.2.2"),
		CreatedAt: time.Now()}, "", nil)
	require.NoError(t, err)
	for _, id := range []domain.ID{d.ID, other.ID} {
		require.NoError(t, s.Fittings.Fit(ctx, domain.Fitting{DeviceID: id, Kit: "free-space"}))
	}
	var parts []domain.Part
	for i, path := range []string{"/", "/data", "/home"} {
		of := []domain.ID{d.ID, d.ID, other.ID}[i]
		parts = append(parts, domain.Part{DeviceID: of, Kit: "free-space", Kind: "mount", Key: path, Name: path})
	}
	_, err = s.Parts.Add(ctx, parts)
	require.NoError(t, err)
	v, err := svc.Version(ctx, testkit.Anyone, "free-space", 1)
	require.NoError(t, err)
	same, err := svc.RehearseKit(ctx, testkit.Anyone, v.Document)
	require.NoError(t, err)
	assert.Empty(t, same.Differences)
	assert.Equal(t, "nothing: it is as the one in force", same.Why.Answer)

	ours := strings.Replace(v.Document, "readings:\n  - key: gone\n", "readings:\n  - key: paths\n    name: Paths\n    source: disks\n"+
		"    value: [used]\n    over: sum\n  - key: left\n", 1)
	ours = strings.NewReplacer("reading: gone", "reading: left", "[gone]", "[left]", "key: gone", "key: left").Replace(ours)
	c, err := svc.RehearseKit(ctx, testkit.Anyone, ours)
	require.NoError(t, err)
	assert.Equal(t, 2, c.Devices)
	assert.Equal(t, 5, c.Gained, "one on each device, one on each of three mounts")
	assert.Equal(t, 3, c.Lost)
	assert.Equal(t, kit.Gone, c.Differences[2].How)
	assert.Contains(t, c.Why.Answer, "on 2 devices")
	kept, err := svc.Version(ctx, testkit.Anyone, "free-space", 1)
	require.NoError(t, err)
	assert.Equal(t, v, kept)
	_, err = svc.Version(ctx, testkit.Anyone, "free-space", 2)
	assert.ErrorIs(t, err, domain.ErrNotFound, "nothing is stored by trying")

	made, err := svc.Bring(ctx, testkit.Anyone, ours, 1)
	require.NoError(t, err)
	assert.Equal(t, 2, made.Revision)
	_, err = svc.Bring(ctx, testkit.Anyone, v.Document, 1)
	assert.ErrorIs(t, err, domain.ErrChanged, "somebody was faster")
	back, err := svc.Bring(ctx, testkit.Anyone, v.Document, 2)
	require.NoError(t, err)
	assert.Equal(t, 3, back.Revision)

	fresh, err := svc.RehearseKit(ctx, testkit.Anyone, strings.Replace(v.Document, "kit: free-space", "kit: our-space", 1))
	require.NoError(t, err)
	assert.True(t, fresh.New)
	for _, name := range []string{"new", "../x", "a/b", "Über", "own-7", strings.Repeat("x", 61)} {
		_, err := svc.RehearseKit(ctx, testkit.Anyone, strings.Replace(v.Document, "kit: free-space", "kit: "+name, 1))
		assert.Error(t, err, name)
	}
}
