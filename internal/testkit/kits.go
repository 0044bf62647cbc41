package testkit

import (
	"context"
	"log/slog"
	"testing"

	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/certificate"
	"tirelessowl/internal/protocol/ways/dns"
	"tirelessowl/internal/protocol/ways/http"
	"tirelessowl/internal/protocol/ways/icmp"
	"tirelessowl/internal/protocol/ways/ldap"
	"tirelessowl/internal/protocol/ways/mariadb"
	"tirelessowl/internal/protocol/ways/postgresql"
	"tirelessowl/internal/protocol/ways/signin"
	"tirelessowl/internal/protocol/ways/snmp"
	"tirelessowl/internal/protocol/ways/tcp"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/kits"
)

// Ways are the shipped ways to collect; SNMP has no client, so that it cannot ask.
var Ways = ways.List{
	snmp.Way(nil), icmp.Way(nil), tcp.Way, dns.Way(nil), http.Way(nil), signin.Way(nil), ldap.Way(nil), certificate.Way(nil),
	postgresql.Driver.Way(nil), mariadb.Driver.Way(nil),
}

// Kits knows the shipped kits; nothing is stored of them before Load.
func Kits(t testing.TB, s *store.Store) *collect.Service {
	t.Helper()
	loopback, err := ranges.Read("127.0.0.0/8")
	require.NoError(t, err)
	svc, err := collect.New(collect.Wiring{
		Store:      s,
		Desk:       Desk(s),
		Changed:    func(context.Context, domain.ID) error { return nil },
		ChangedAll: func(context.Context) error { return nil },
		Shipped:    kits.Files,
		Ways:       Ways.Described(),
		Rules:      kinds.All,
		Asker:      Ways,
		Guard:      guard.New(loopback, ranges.Set{}),
	})
	require.NoError(t, err)
	return svc
}

// Desk is where use cases begin; nobody is told of anything.
func Desk(s *store.Store) *act.Desk { return act.NewDesk(s, func(domain.News) {}, slog.Default()) }

// Anyone may do everything everywhere.
var Anyone = access.Itself("a test")

// Named may do everything everywhere under a name.
func Named(name string) access.Actor { return access.Itself(name) }
