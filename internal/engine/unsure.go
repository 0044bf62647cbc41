package engine

import (
	"context"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// unsure are rows of one answer of which it is not known yet what they belong
// to, since the database did not take them up.
type unsure struct {
	got  derive.Fetched // without its rows
	rows []collect.Row
}

// mostUnsure bounds the rows of a kind that wait; the oldest answers go first.
const mostUnsure = 20_000

// syncLimit is how long taking up new rows may take while the database is there.
const syncLimit = 30 * time.Second

// sort brings the rows of an answer to the parts that they are. Parts and series
// are made for those that are new or changed; while the database is away, and
// for rows that it refuses, that is not possible: those wait for the next answer.
func (c *Collector) sort(
	ctx context.Context,
	b *binding,
	sb *sourceBinding,
	kb *kindBinding,
	got derive.Fetched,
	rows []collect.Row,
	out *outcome,
) []collect.Row {
	if kb.needsSync(rows) && !c.sync(ctx, b, sb, kb, rows, got.At) {
		sure, rest := kb.divide(rows)
		kb.hold(got, rest)
		return sure
	}
	for _, x := range kb.unsure {
		sure, _ := kb.divide(x.rows)
		sb.takeParts(kb, &derive.Look{Got: x.got}, sure, out)
	}
	kb.unsure = nil
	return rows
}

func (c *Collector) sync(ctx context.Context, b *binding, sb *sourceBinding, kb *kindBinding, rows []collect.Row, at time.Time) bool {
	ctx, cancel := c.store.Vigil.While(ctx)
	defer cancel()
	ctx, end := context.WithTimeout(ctx, syncLimit)
	defer end()
	var known collect.Known
	var made []domain.Series
	err := ctx.Err()
	if err == nil {
		known, made, err = c.kits.SyncParts(ctx, b.device.ID, sb.kit, sb.src, kb.def, kb.known, rows, at)
	}
	if store.Trouble(err) {
		c.unsettled[sourceKey{b.device.ID, sb.kit.Name + "/" + sb.src.Key}] = true
	}
	if err != nil {
		c.log.Error("rows of a device cannot be taken up", "device", b.device.Name, "kind", kb.def.Kind, "error", err)
		return false
	}
	b.takeUp(sb, kb, known, made)
	c.waves.again(b.device.ID)
	c.judge.set(b.device, b.via, b.watched())
	return true
}

// sourceKey names a source of a device, as the scheduler knows it.
type sourceKey struct {
	device domain.ID
	key    string
}

// settle asks devices again whose new rows the database did not take.
func (c *Collector) settle() {
	if len(c.unsettled) == 0 || c.away() || time.Since(c.settled) < settleEvery {
		return
	}
	c.settled = time.Now()
	for x := range c.unsettled {
		c.sched.Now(x.device, x.key)
	}
	clear(c.unsettled)
}

// settleEvery is how often devices are asked again for that.
const settleEvery = 2 * time.Second

// divide tells rows of which it is sure what they belong to from the rest.
func (kb *kindBinding) divide(rows []collect.Row) (sure, rest []collect.Row) {
	for _, row := range rows {
		if bp := kb.rows[row.Index]; bp != nil && kb.known.Fits(row, &bp.part) {
			sure = append(sure, row)
		} else {
			rest = append(rest, row)
		}
	}
	return sure, rest
}

func (kb *kindBinding) hold(got derive.Fetched, rows []collect.Row) {
	got.Rows = nil
	kb.unsure = append(kb.unsure, unsure{got, rows})
	held := 0
	for _, x := range kb.unsure {
		held += len(x.rows)
	}
	for held > mostUnsure && len(kb.unsure) > 1 {
		held -= len(kb.unsure[0].rows)
		kb.unsure = kb.unsure[1:]
	}
}
