package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/jackc/pgx/v5"
	"gorm.io/gorm"

	"tirelessowl/internal/domain"
)

// Seen is the database as far as a scope reaches: every table holds only the rows
// that belong to places of the scope. It only reads.
type Seen struct {
	Areas
	Values Values
}

// Seen returns what may be seen from a scope.
func (s *Store) Seen(scope domain.Scope) *Seen { return s.seen(s.db, s.Areas, scope) }

// SeenWithin is Seen with what a transaction has stored so far.
func (s *Store) SeenWithin(tx *Areas, scope domain.Scope) *Seen { return s.seen(tx.db, *tx, scope) }

func (s *Store) seen(db *gorm.DB, whole Areas, scope domain.Scope) *Seen {
	if scope.All() {
		return &Seen{whole, Values{whole.area, s.Samples, s.Words}}
	}
	// With a context the session has a statement of its own: that of the whole
	// database must not be touched.
	db = db.Session(&gorm.Session{NewDB: true, Context: context.Background()})
	db.Statement.ConnPool = newScopedPool(db.Statement.ConnPool, scope, s.standing)
	areas := areasFrom(area{db, true}, s.keys)
	return &Seen{areas, Values{areas.area, s.Samples, s.Words}}
}

// scopedPool puts in front of every statement what each of the tables in it is from
// here on: its rows within the scope. PostgreSQL takes such a name for the table
// everywhere in the statement, so that no query can forget it.
type scopedPool struct {
	gorm.ConnPool
	within   *strings.Replacer // puts conditions in the place of what stands in braces
	arrays   []array           // what the conditions do not say themselves
	scope    domain.Scope
	standing *standing
	// once looks up the devices of the scope, for all statements of one use case.
	once *sync.Once
	runs *[][2]domain.ID
}

// array is ids as PostgreSQL reads them, for a mark in the conditions.
type array struct{ mark, ids string }

// mostRuns is up to how many runs of neighbours the places are written out as: that is
// estimated and checked fastest. Places that were made together are neighbours.
const mostRuns = 16

func newScopedPool(under gorm.ConnPool, scope domain.Scope, known *standing) scopedPool {
	p := scopedPool{ConnPool: under, scope: scope, standing: known, once: &sync.Once{}, runs: new([][2]domain.ID)}
	at, of, around := p.oneOf("$P", scope.InPlaces()), p.oneOf("$D", scope.InDevices()), p.oneOf("$A", scope.Around())
	p.within = strings.NewReplacer(
		"{place_id}", at("place_id"),
		"{place}", at("id"),
		"{device}", of("id"),
		"{thing_id}", of("thing_id"),
		"{around}", around("id"),
	)
	return p
}

// oneOf makes the condition that a column is one of some ids. Where these are scattered, a
// mark stands for them.
func (p *scopedPool) oneOf(mark string, ids domain.Ordered) func(column string) string {
	if len(ids.Runs) > mostRuns {
		p.arrays = append(p.arrays, array{mark, "{" + ids.List + "}"})
		return func(column string) string { return column + " = ANY(" + mark + "::bigint[])" }
	}
	return func(column string) string { return amongRuns(column, ids.Runs) }
}

// amongRuns is the condition that a column lies in one of some runs of neighbours.
func amongRuns(column string, runs [][2]domain.ID) string {
	if len(runs) == 0 {
		return "false"
	}
	var any []string
	for _, run := range runs {
		any = append(any, fmt.Sprintf("%s BETWEEN %d AND %d", column, run[0], run[1]))
	}
	return "(" + strings.Join(any, " OR ") + ")"
}

// errOnlyReads is told where something would be changed through what is seen.
var errOnlyReads = errors.New("what is seen from a scope is not changed from there")

// ExecContext implements gorm.ConnPool.
func (scopedPool) ExecContext(context.Context, string, ...any) (sql.Result, error) {
	return nil, errOnlyReads
}

// QueryContext implements gorm.ConnPool.
func (p scopedPool) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	query, args = p.scoped(ctx, query, args)
	return p.ConnPool.QueryContext(ctx, query, args...)
}

// QueryRowContext implements gorm.ConnPool.
func (p scopedPool) QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row {
	query, args = p.scoped(ctx, query, args)
	return p.ConnPool.QueryRowContext(ctx, query, args...)
}

// planned lets the database plan such a statement each time, knowing the places: a plan for
// any places at all takes them for few.
const planned = pgx.QueryExecModeCacheDescribe

func (p scopedPool) scoped(ctx context.Context, query string, args []any) (string, []any) {
	return p.filled(p.ofDevices(ctx, scopedText(query)), args)
}

// filled puts the places and devices of the scope into a statement.
func (p scopedPool) filled(text string, args []any) (string, []any) {
	text, args = p.within.Replace(text), slices.Clip(args)
	count := len(args)
	for _, a := range p.arrays {
		if !strings.Contains(text, a.mark) {
			continue
		}
		args = append(args, a.ids)
		text = strings.ReplaceAll(text, a.mark, "$"+strconv.Itoa(len(args)))
	}
	if len(args) > count {
		args = slices.Insert(args, 0, any(planned))
	}
	return text, args
}

// Of what belongs to a device, an incident, a series or a sweep the place is theirs. Of a
// device that is seen by itself it is told where it stands, and no more of that place.
const (
	atPlace    = "{place_id}"
	devices    = "({place_id} OR {device})"
	ofDevice   = "{device_id}"
	ofIncident = "incident_id IN (SELECT id FROM public.incidents WHERE " + ofDevice + ")"
	ofSeries   = "series_id IN (SELECT id FROM public.series WHERE " + ofDevice + ")"
	ofPart     = "part_id IN (SELECT id FROM public.parts WHERE " + ofDevice + ")"
	ofSweep    = "sweep_id IN (SELECT id FROM public.sweeps WHERE " + atPlace + ")"
	nothing    = "false"
)

// behindSeen tells whether a device is out of reach behind one that is seen: else its
// name stands in what was noted, and that is not told.
const behindSeen = "(behind_id IS NULL OR {behind_id})"

// BehindUnseen is told in the place of what is out of sight.
const BehindUnseen = "behind something that you may not see, which does not answer"

// columns are those of the tables of which not every column is told as it stands.
var columns = map[string]string{
	"devices":     deviceTold,
	"all_devices": deviceTold + ", removed_at, organisation_id",
	"transitions": "id, device_id, series_id, rule_id, from_health, to_health, at, CASE WHEN " + behindSeen +
		" THEN reason ELSE '" + BehindUnseen + "' END AS reason, held, CASE WHEN " + behindSeen + " THEN behind_id END AS behind_id, why",
}

const deviceTold = "id, place_id, name, address, kind, vendor, model, description, object_id, identity, paused, health, " +
	"health_since, CASE WHEN " +
	behindSeen + " THEN health_note ELSE '" + BehindUnseen + "' END AS health_note, booted_at, agent_since, created_at, " +
	"version, CASE WHEN " +
	behindSeen + " THEN behind_id END AS behind_id, friendly"

// within are the rows of each table that belong to the places of the scope. What belongs to
// the whole tree is seen by those who see all of it; kits, and rules for all devices, by everybody.
var within = map[string]string{
	"alerts":            ofDevice,
	"all_devices":       devices,
	"answers":           nothing,
	"attributes":        "(" + atPlace + " OR " + ofDevice + " OR " + ofPart + ")",
	"audit":             "({place_id} OR kind = 'device' AND {thing_id})",
	"browsers":          nothing,
	"channels":          nothing,
	"code_factors":      nothing,
	"change_sets":       nothing,
	"credentials":       atPlace,
	"deliveries":        ofIncident,
	"device_addresses":  ofDevice,
	"device_facts":      ofDevice,
	"devices":           devices,
	"endpoints":         ofDevice,
	"events":            ofIncident,
	"finds":             ofSweep,
	"fittings":          ofDevice,
	"grants":            atPlace,
	"identities":        nothing,
	"implausible":       ofSeries,
	"incidents":         ofDevice,
	"links":             nothing,
	"overrides":         "(" + atPlace + " OR " + ofDevice + " OR " + ofPart + ")",
	"own_kits":          ofDevice,
	"parts":             ofDevice,
	"passkeys":          nothing,
	"places":            "({place} OR {around})",
	"plans":             nothing,
	"providers":         nothing,
	"recovery_codes":    nothing,
	"sessions":          nothing,
	"settings":          nothing,
	"rules":             "(device_id IS NULL OR " + ofDevice + ")",
	"rule_states":       ofSeries,
	"series":            ofDevice,
	"adoption_rules":    ofSweep,
	"sightings":         ofSweep,
	"sign_ins":          nothing,
	"sources":           ofDevice,
	"sweep_answers":     ofSweep,
	"sweep_credentials": ofSweep,
	"sweep_runs":        ofSweep,
	"sweeps":            atPlace,
	"team_members":      "team_id IN (SELECT id FROM public.teams WHERE " + atPlace + ")",
	"teams":             atPlace,
	"tickets":           ofIncident,
	"tokens":            atPlace,
	"transitions":       ofDevice,
	"users":             atPlace,
	"words":             ofSeries,
}

// scopedText puts the tables of a statement within a scope.
func scopedText(query string) string {
	var parts []string
	for _, t := range tablesOf(query) {
		parts = append(parts, t+" AS NOT MATERIALIZED (SELECT "+cmp.Or(columns[t], "*")+" FROM public."+t+" WHERE "+within[t]+")")
	}
	if len(parts) == 0 {
		return query
	}
	head, rest := "WITH ", " "+query
	trimmed := strings.TrimSpace(query)
	if own, ok := strings.CutPrefix(trimmed, "WITH RECURSIVE "); ok {
		head, rest = "WITH RECURSIVE ", ", "+own
	} else if own, ok := strings.CutPrefix(trimmed, "WITH "); ok {
		rest = ", " + own
	}
	return head + strings.Join(parts, ", ") + rest
}

// tablesOf are the tables that a statement may name, each once and in order.
func tablesOf(query string) (out []string) {
	words := strings.FieldsFunc(query, func(r rune) bool { return r != '_' && (r < 'a' || r > 'z') })
	for _, word := range words {
		if _, ok := within[word]; ok {
			out = append(out, word)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
