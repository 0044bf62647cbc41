package recognition

import (
	"encoding/json"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/recognise"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

const shipped = "rules: [{when: 'layer3 == 1', kind: router}]"

func setup(t *testing.T) (*Service, *store.Store) {
	t.Helper()
	s := testkit.Store(t)
	svc, err := New(s, testkit.Desk(s), []byte(shipped))
	require.NoError(t, err)
	return svc, s
}

// heard keeps what answered a sweep.
func heard(t *testing.T, s *store.Store, name string, answers ...identity.Answer) {
	t.Helper()
	w, err := s.Sweeps.Save(t.Context(), domain.Sweep{Name: name, Ranges: "192.0.2.0/24", Port: 161, Pace: 10, StartedAt: time.Now()})
	require.NoError(t, err)
	var out []domain.SweepAnswer
	for _, a := range answers {
		said, err := json.Marshal(a)
		require.NoError(t, err)
		out = append(out, domain.SweepAnswer{Address: a.Address, Said: said})
	}
	require.NoError(t, s.SweepAnswers.Save(t.Context(), w.ID, out))
}

func at(address, objectID string, services int) identity.Answer {
	return identity.Answer{Responder: identity.Responder{Address: netip.MustParseAddr(address), ObjectID: objectID, Name: "np-" + address},
		Services: services}
}

func TestOwnRulesGoBeforeThoseThatShip(t *testing.T) {
	svc, s := setup(t)
	ctx := t.Context()
	const own = "rules: [{when: 'object_id == \"1.3.6.1.4.1.32473.7\"', vendor: Lantern Works, kind: lamp}]"
	heard(t, s, "one", at("192.0.2.1", "1.3.6.1.4.1.32473.7", 4), at("192.0.2.2", "1.3.6.1.4.1.99999.1", 4))
	heard(t, s, "two", at("192.0.2.1", "1.3.6.1.4.1.32473.7", 4))
	r, err := svc.Rehearse(ctx, testkit.Anyone, own)
	require.NoError(t, err)
	assert.Equal(t, 2, r.Answers, "an address counts once")
	require.Len(t, r.Changes, 1)
	assert.Equal(t, recognise.Known{Vendor: "enterprise 32473", Kind: "router"}, r.Changes[0].Before)
	assert.Equal(t, recognise.Known{Vendor: "Lantern Works", Kind: "lamp"}, r.Changes[0].After)
	assert.Contains(t, r.Changes[0].Why.Facts[0].Text, "Rule 1 says Lantern Works, lamp")
	assert.Len(t, svc.Rules(), 1, "nothing is changed by that")

	before, err := svc.Written(ctx, testkit.Anyone)
	require.NoError(t, err)
	require.NoError(t, svc.Write(ctx, testkit.Anyone, own, before.Mark))
	assert.Len(t, svc.Rules(), 2)
	assert.ErrorIs(t, svc.Write(ctx, testkit.Anyone, "", before.Mark), domain.ErrChanged)
	err = svc.Write(ctx, testkit.Anyone, "rules: [{when: 'colour', kind: a}]", "")
	assert.ErrorContains(t, err, "Line 1: when: character 1")
	after, err := svc.Written(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Equal(t, own, after.Text)
	assert.Equal(t, shipped, after.Shipped)

	again, err := New(s, testkit.Desk(s), []byte(shipped))
	require.NoError(t, err)
	require.NoError(t, again.Load(ctx))
	assert.Len(t, again.Rules(), 2, "they stand when the application starts again")
	_, err = New(s, testkit.Desk(s), []byte("rules: 7"))
	assert.ErrorContains(t, err, "shipped rules")
}

func TestTheRegistryNamesMakers(t *testing.T) {
	svc, s := setup(t)
	ctx := t.Context()
	n, err := svc.LoadRegistry(ctx, testkit.Anyone, strings.NewReader("99999\n  Lantern Works\n    Keeper\n7\n  Seven\n"))
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	makers, err := svc.Makers(ctx, []string{"1.3.6.1.4.1.99999.1", "1.3.6.1.4.1.8", "1.3.6.1.2.1"})
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"1.3.6.1.4.1.99999.1": "Lantern Works", "1.3.6.1.4.1.8": ""}, makers)
	_, err = svc.LoadRegistry(ctx, testkit.Anyone, strings.NewReader("no list"))
	assert.ErrorContains(t, err, "Line 1: there is no enterprise number")
	w, err := svc.Written(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Equal(t, int64(2), w.Registered, "what cannot be read takes nothing away")
	heard(t, s, "one", at("192.0.2.2", "1.3.6.1.4.1.99999.1", 4))
	r, err := svc.Rehearse(ctx, testkit.Anyone, "rules: [{when: 'layer3 == 1', vendor: Ours}]")
	require.NoError(t, err)
	assert.Equal(t, "Lantern Works", r.Changes[0].Before.Vendor)
	require.NoError(t, svc.DropRegistry(ctx, testkit.Anyone))
	makers, err = svc.Makers(ctx, []string{"1.3.6.1.4.1.99999.1"})
	require.NoError(t, err)
	assert.Empty(t, makers["1.3.6.1.4.1.99999.1"])
}

// What is recognised holds for all: who may configure one place alone may not write it.
func TestOnlyWhoMayEverywhereWritesRules(t *testing.T) {
	svc, _ := setup(t)
	who := access.Itself("nobody")
	who.Sheet = access.Sheet{}
	assert.ErrorIs(t, svc.Write(t.Context(), who, "", ""), domain.ErrForbidden)
	_, err := svc.LoadRegistry(t.Context(), who, strings.NewReader("7\n  Seven\n"))
	assert.ErrorIs(t, err, domain.ErrForbidden)
}
