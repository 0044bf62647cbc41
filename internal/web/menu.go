package web

import (
	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
)

// menu is the entries of all work areas.
type menu map[domain.Area][]render.Entry

// titles are what areas are called.
var titles = map[domain.Area]string{
	domain.AreaWatch:   "Watch",
	domain.AreaFind:    "Find",
	domain.AreaCollect: "Collect",
	domain.AreaJudge:   "Judge",
	domain.AreaRespond: "Respond",
	domain.AreaRun:     "Run",
}

// menuOf collects what the screens hand over.
func menuOf(all []screen.Screen) menu {
	m := menu{}
	for _, s := range all {
		for _, e := range s.Menu {
			m[e.Area] = append(m[e.Area], e)
		}
	}
	return m
}

// areas are the work areas of which an actor may see something; each leads to the
// first of its entries that is for the actor.
func (m menu) areas(who access.Actor) (out []render.Entry) {
	for _, area := range domain.AllAreas() {
		if tabs := m.tabs(who, area); len(tabs) > 0 {
			out = append(out, render.Entry{Title: titles[area], Path: tabs[0].Path, Area: area})
		}
	}
	return out
}

// tabs are the entries of an area that are for an actor.
func (m menu) tabs(who access.Actor, area domain.Area) (out []render.Entry) {
	for _, e := range m[area] {
		if e.For(who) {
			out = append(out, e)
		}
	}
	return out
}
