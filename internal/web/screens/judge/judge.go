// Package judge is rules, rehearsals and the timeline of changes.
package judge

import (
	"embed"
	"io/fs"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is judging.
type Screen struct {
	Render *render.Renderer
	Judge  *judge.Service
	Watch  *watch.Service
	// Changes gathers rules with other changes.
	Changes *changes.Service
}

const (
	area        = domain.AreaJudge
	rulesPath   = "/judge"
	newPath     = "/judge/rules/new"
	changesPath = "/judge/transitions"
)

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const see, configure = domain.AccessSee, domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"judge": files},
		Menu: []render.Entry{
			{Title: "Rules", Path: rulesPath, Area: area},
			{Title: "Changes of health", Path: changesPath, Area: area, Asks: domain.AreaWatch},
		},
		Found: []render.Entry{{Title: "New rule", Path: newPath, Area: area, Needs: configure}},
		Routes: []screen.Route{
			screen.Get(rulesPath, area, s.rules),
			screen.Get(changesPath, domain.AreaWatch, s.transitions),
			screen.Get(newPath, area, s.blank),
			screen.Post(newPath, area, configure, s.make),
			screen.Post(newPath+"/rehearse", area, see, s.rehearseNew),
			screen.Get("/judge/rules/{id}", area, s.edit),
			screen.Post("/judge/rules/{id}", area, configure, s.save),
			screen.Post("/judge/rules/{id}/rehearse", area, see, s.rehearse),
			screen.Post("/judge/rules/{id}/remove", area, configure, s.remove),
		},
	}
}
