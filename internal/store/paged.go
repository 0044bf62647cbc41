package store

import (
	"context"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"tirelessowl/internal/domain"
)

// column is what a list can be in order of: an expression that is never null.
type column struct {
	expr string
	kind columnKind
}

type columnKind int

const (
	ofText columnKind = iota
	ofTime
	ofNumber
)

// read makes of a key what the database compares with.
func (c column) read(key string) (any, error) {
	switch c.kind {
	case ofTime:
		t, err := time.Parse(domain.KeyTime, key)
		return t, err
	case ofNumber:
		return strconv.ParseInt(key, 10, 64)
	}
	return key, nil
}

// paged asks for one page of what a query picks, in one of some orders, and counts what it
// picks in all up to a little more than domain.MostCounted. id is the expression of the id,
// which decides between rows that are the same in that order.
func (a area) paged(ctx context.Context, q *gorm.DB, id string, by map[string]column, p domain.Page) (page *gorm.DB, n int64, err error) {
	if n, err = a.counted(ctx, q); err != nil {
		return nil, 0, err
	}
	page, err = pageOf(q, id, by, p)
	return page, n, err
}

// pageOf asks for one page of what a query picks.
func pageOf(q *gorm.DB, id string, by map[string]column, p domain.Page) (*gorm.DB, error) {
	name, down := strings.CutPrefix(p.Sort, "-")
	direction, beyond := "", ">"
	if down {
		direction, beyond = " DESC", "<"
	}
	c, ok := by[name]
	order := id + direction
	if ok {
		order = c.expr + direction + ", " + order
	}
	if p.After != nil && !ok {
		q = q.Where(id+" "+beyond+" ?", p.After.ID)
	}
	if p.After != nil && ok {
		key, err := c.read(p.After.Key)
		if err != nil {
			return nil, domain.FieldErrors{"after": "must be the “next” of an answer, as it was"}
		}
		q = q.Where("("+c.expr+", "+id+") "+beyond+" (?, ?)", key, p.After.ID)
	}
	return q.Order(order).Limit(p.Limit), nil
}

// pagedOr is as paged where a page is asked for; else it asks for the first of what is in an
// order of its own, and counts nothing.
func (a area) pagedOr(
	ctx context.Context,
	q *gorm.DB,
	by map[string]column,
	p *domain.Page,
	order string,
	limit int,
) (*gorm.DB, int64, error) {
	if p != nil {
		return a.paged(ctx, q, "id", by, *p)
	}
	return q.Order(order).Limit(limit), 0, nil
}

// counted counts what a query picks, up to a little more than domain.MostCounted.
func (a area) counted(ctx context.Context, q *gorm.DB) (n int64, err error) {
	few := q.Session(&gorm.Session{}).Select("1").Limit(domain.MostCounted + 1)
	return n, a.q(ctx).Table("(?) AS few", few).Count(&n).Error
}
