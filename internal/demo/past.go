package demo

import (
	"math"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
)

// The past of what devices serve: what their checks would have come to, as functions of time that go over into what the
// stand-ins answer now. Times of day are UTC.

// retold tells what a source would have brought, by columns, a map for each row; nil for what has no past.
type retold func(p pastAt) []map[string]derive.Value

// pastAt is a moment of it.
type pastAt struct {
	at     time.Time
	origin time.Time // when the stories were told first
	device string
}

func num(n float64) derive.Value { return derive.Value{Kind: derive.Gauge, Num: n} }
func text(s string) derive.Value { return derive.Value{Kind: derive.Text, Text: s} }
func count(n float64) derive.Value {
	return derive.Value{Kind: derive.Counter64, Count: uint64(max(0, n))}
}

// within tells whether it is between two times of a day some days before the origin, in hours.
func (p pastAt) within(days int, from, until float64) bool {
	since := p.at.Sub(p.origin.Truncate(24*time.Hour).AddDate(0, 0, -days)).Hours()
	return since >= from && since < until
}

// wave wanders between -1 and 1, another one for each seed.
func (p pastAt) wave(seed, seconds float64) float64 {
	t := float64(p.at.Unix()) / seconds
	return 0.5*math.Sin(t+seed) + 0.3*math.Sin(2.7*t+2*seed) + 0.2*math.Sin(9.1*t+3*seed)
}

// took is a time that is mostly a level, in seconds, and now and then half as much more.
func (p pastAt) took(seed, level float64) derive.Value {
	return num(level * (1 + 0.3*p.wave(seed, 600)))
}

func (p pastAt) passes(says string, more map[string]derive.Value) []map[string]derive.Value {
	more[verdict.Column], more["says"] = num(float64(verdict.Passes)), text(says)
	return []map[string]derive.Value{more}
}

func fails(v verdict.Verdict, says string) []map[string]derive.Value {
	return []map[string]derive.Value{{verdict.Column: num(float64(v)), "says": text(says)}}
}

// pasts are by the kit and its source.
var pasts = map[string]retold{
	"web-sign-in/entry":           signedIn,
	"web-page/page":               fetched,
	"tls-certificate/handshake":   shownCertificate,
	"directory/bind":              letIn,
	"dns-answer/answer":           lookedUp,
	"postgresql/server":           server,
	"postgresql/sizes":            sizes,
	"postgresql-active/active":    active,
	"postgresql-active/followers": followers,
	"postgresql-standby/standby":  standby,
	"postgresql-backup/backup":    backedUp,
}

// signedIn is the story of the portal that answers on its port while nobody can sign in: a morning three days ago, and a
// quarter of an hour before that.
func signedIn(p pastAt) []map[string]derive.Value {
	if p.within(3, 9.3, 10.9) || p.within(8, 17.1, 17.4) {
		return fails(verdict.SignInFailed, "nobody is let in: the page says “User or password is wrong”")
	}
	return p.passes("signed in", map[string]derive.Value{"total": p.took(1, 0.0021), "form": p.took(2, 0.0012), "entry": p.took(3, 0.0009),
		"status": num(200)})
}

func fetched(p pastAt) []map[string]derive.Value {
	return p.passes("200 OK", map[string]derive.Value{"total": p.took(4, 0.0012), "connect": p.took(5, 0.0003), "first": p.took(6, 0.0004),
		"status": num(200), "size": num(95)})
}

// certificateDays is how long the certificate of the booking site holds at the origin.
const certificateDays = 12

// shownCertificate is the story of the certificate that runs out.
func shownCertificate(p pastAt) []map[string]derive.Value {
	until := p.origin.AddDate(0, 0, certificateDays).Truncate(time.Second)
	left := num(until.Sub(p.at).Hours() / 24)
	return p.passes("holds", map[string]derive.Value{"days": left, "chain_days": left, "total": p.took(7, 0.01),
		"weak": text("nothing"), "weaknesses": num(0), "version": text("TLS 1.3"), "names": text(bookingName),
		"until": text(until.UTC().Format("2006-01-02 15:04 UTC")), "issuer": text("Kittiwake Line services")})
}

func letIn(p pastAt) []map[string]derive.Value {
	return p.passes("lets in, and finds what is expected", map[string]derive.Value{"total": p.took(8, 0.0008), "bind": p.took(9, 0.0002),
		"search": p.took(10, 0.0002), "entries": num(6)})
}

func lookedUp(p pastAt) []map[string]derive.Value {
	return p.passes("answers", map[string]derive.Value{"total": p.took(11, 0.0008), "records": num(1), "ttl": num(300)})
}

// since is how many seconds there were from some weeks before the origin.
func (p pastAt) since() float64 { return p.at.Sub(p.origin.AddDate(0, 0, -33)).Seconds() }

func server(p pastAt) []map[string]derive.Value {
	out := map[string]derive.Value{"total": p.took(12, 0.012), "connect": p.took(13, 0.006), "uptime": num(p.since()), "allowed": num(27),
		"connections": num(2), "active": num(1), "idle": num(1), "idle_in_transaction": num(0), "waiting": num(0), "long": num(0),
		"longest": num(0), "longest_by": text("none runs long"), "oldest_idle": num(0), "commits": count(3.2 * p.since()),
		"rollbacks": count(0), "deadlocks": count(0), "spilled": count(0), "rights": text("suffice")}
	if p.device == "booking-db-1" {
		out["connections"], out["idle"] = num(9), num(7)
	}
	return p.passes("lets in, and answers", out)
}

func sizes(pastAt) []map[string]derive.Value {
	return []map[string]derive.Value{{"database": text("postgres"), "size": num(7.8e6)}}
}

// written is how many bytes of log were written until then.
func (p pastAt) written() float64 { return 3.2e9 + 2600*p.since() + 4e5*p.wave(14, 7200) }

func active(p pastAt) []map[string]derive.Value {
	stream := num(1)
	if p.receiverStopped() {
		stream = num(0)
	}
	return p.passes("lets in, and answers", map[string]derive.Value{"role": num(0), "followers": stream, "written": count(p.written()),
		"unarchived": count(0), "kept": num(0)})
}

func followers(p pastAt) []map[string]derive.Value {
	if p.receiverStopped() {
		return nil
	}
	return []map[string]derive.Value{{"follower": text("walreceiver 127.0.0.1"), "state": text("streaming"),
		"behind": num(2600 * p.behind()), "delay": num(min(p.behind(), 2))}}
}

// The story of the standby, two nights ago: it falls behind, then stops applying, then its receiver stops, and then it
// catches up.
const (
	storyNight                               = 2
	behindFrom, applyEnds, receiverEnds, all = 1.0, 1.6, 2.2, 3.1
)

func (p pastAt) receiverStopped() bool { return p.within(storyNight, receiverEnds, all) }
func (p pastAt) applyStopped() bool    { return p.within(storyNight, applyEnds, all) }

// behind is how many seconds the standby is behind.
func (p pastAt) behind() float64 {
	if !p.within(storyNight, behindFrom, all) {
		return 0
	}
	night := p.origin.Truncate(24*time.Hour).AddDate(0, 0, -storyNight)
	slow := p.at.Sub(night).Seconds() - behindFrom*3600
	stopped := max(0, p.at.Sub(night).Seconds()-applyEnds*3600)
	return 0.3*(slow-stopped) + stopped
}

func standby(p pastAt) []map[string]derive.Value {
	is := func(yes bool) derive.Value {
		if yes {
			return num(1)
		}
		return num(0)
	}
	sender := "127.77.10.34:5432"
	if p.receiverStopped() {
		sender = "no receiver runs"
	}
	return p.passes("lets in, and answers", map[string]derive.Value{"role": num(1), "receiver": is(!p.receiverStopped()),
		"apply": is(!p.applyStopped()), "behind": num(2600 * p.behind()), "delay": num(p.behind()),
		"applied": count(p.written() - 2600*p.behind()), "sender": text(sender)})
}

// backedUp is every night at twelve past three.
func backedUp(p pastAt) []map[string]derive.Value {
	return p.passes("lets in, and answers", map[string]derive.Value{"age": num(math.Mod(float64(p.at.Unix())-3.2*3600, 86400))})
}

// rowsAt are the rows that a question would have brought.
func (f retold) rowsAt(p pastAt, q way.Question) (out []derive.Row) {
	for _, cells := range f(p) {
		row := derive.Row{Values: make([]derive.Value, len(q.Columns))}
		for i, c := range q.Columns {
			row.Values[i] = cells[c.As]
		}
		if len(row.Values) > 0 && q.Columns[0].As != verdict.Column {
			row.Index = row.Values[0].String()
		}
		out = append(out, row)
	}
	return out
}
