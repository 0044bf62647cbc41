package testkit

import (
	"testing"

	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/snmp"
	"tirelessowl/internal/protocol/ways/tcp"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/kits"
)

// Ways are the shipped ways to collect; SNMP has no client, so that it cannot ask.
var Ways = ways.List{snmp.Way(nil), tcp.Way}

// Kits knows the shipped kits; nothing is stored of them before Load.
func Kits(t testing.TB, s *store.Store) *collect.Service {
	t.Helper()
	svc, err := collect.New(collect.Wiring{Store: s, Shipped: kits.Files, Ways: Ways.Described(), Rules: kinds.All, Asker: Ways})
	require.NoError(t, err)
	return svc
}
