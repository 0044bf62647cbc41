package places

import (
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Undoing is how what was done to places is undone, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	u := act.Whole(s.One, s.Save, func(p *domain.Place) { p.ID, p.Version = 0, 0 }, act.Whatever(s.Remove))
	return map[string]act.Undoing{
		addPlace.Name:    u,
		changePlace.Name: u,
		removePlace.Name: u,
	}
}

// Moved is what moving devices is called where it is noted; it is undone one by one.
const Moved = "move devices"
