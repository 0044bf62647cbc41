package app

import (
	"maps"

	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/places"
)

// undoing is how what was done is undone, by deed, from all services.
func (a *App) undoing() map[string]act.Undoing {
	out := map[string]act.Undoing{}
	for _, some := range []map[string]act.Undoing{
		a.Places.Undoing(),
		a.Settings.Undoing(),
		a.Calendars.Undoing(),
		a.Kits.Undoing(),
		a.Fitting.Undoing(),
		a.Credentials.Undoing(),
		a.People.Undoing(),
		a.Judge.Undoing(),
		a.Respond.Undoing(),
		a.Devices.Undoing(places.Moved),
		a.Attributes.Undoing(),
		a.Find.Undoing(),
		a.Recognition.Undoing(),
	} {
		maps.Copy(out, some)
	}
	return out
}
