package app

import (
	"path/filepath"

	"tirelessowl/internal/config"
	"tirelessowl/internal/protocol/channels"
	"tirelessowl/internal/protocol/channels/desk"
	"tirelessowl/internal/protocol/channels/file"
	"tirelessowl/internal/protocol/channels/mail"
	"tirelessowl/internal/protocol/dial"
	icmpclient "tirelessowl/internal/protocol/icmp"
	snmpclient "tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/protocol/ways"
	tls "tirelessowl/internal/protocol/ways/certificate"
	"tirelessowl/internal/protocol/ways/dns"
	"tirelessowl/internal/protocol/ways/http"
	"tirelessowl/internal/protocol/ways/icmp"
	"tirelessowl/internal/protocol/ways/ldap"
	"tirelessowl/internal/protocol/ways/mariadb"
	"tirelessowl/internal/protocol/ways/postgresql"
	"tirelessowl/internal/protocol/ways/signin"
	"tirelessowl/internal/protocol/ways/snmp"
	"tirelessowl/internal/protocol/ways/tcp"
)

// waysOf lists the ways to collect: one line each.
func waysOf(client *snmpclient.Client, echo *icmpclient.Client, by dial.Func) ways.List {
	return ways.List{
		snmp.Way(client),
		icmp.Way(echo),
		tcp.Way,
		dns.Way(by),
		http.Way(by),
		signin.Way(by),
		ldap.Way(by),
		tls.Way(by),
		postgresql.Driver.Way(by),
		mariadb.Driver.Way(by),
	}
}

// channelsOf lists the kinds of channels: one line each.
func channelsOf(c config.Config, by dial.Func) channels.List {
	return channels.List{
		mail.Kind(by),
		desk.Kind(by),
		file.Kind(filepath.Join(c.DataDir, "messages")),
	}
}
