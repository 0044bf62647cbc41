package kits

import (
	"net/http"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/draft"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/ui"
)

// foundReading is a reading that may be added to a draft, with where it is.
type foundReading struct {
	sheetAct
	From string
}

// findsView is what a search for readings found.
type findsView struct {
	Asked string
	Found []foundReading
	More  bool
}

// mostFinds is how many readings of each kind a search tells.
const mostFinds = 12

// finds searches for readings to be added: of other kits, of the chosen device's own, and objects of modules.
func (s Screen) finds(w http.ResponseWriter, r *http.Request) error {
	var in struct {
		Find   string `form:"find"`
		Name   string `form:"name"`
		Device string `form:"device"`
	}
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	v := findsView{Asked: in.Find}
	if len(in.Find) >= 2 {
		all, err := s.findable(r, in.Name, in.Device)
		if err != nil {
			return err
		}
		v.take(all, in.Find)
		objects, err := s.Browse.Search(r.Context(), middleware.Who(r.Context()), in.Find)
		if err != nil {
			return err
		}
		v.takeObjects(objects)
	}
	return s.Render.Fragment(w, http.StatusOK, "kits", "kit-finds", v)
}

// findable are the kits whose readings may be added: all others, and the own one of a device that may be seen.
func (s Screen) findable(r *http.Request, name, device string) ([]*kit.Kit, error) {
	out := slices.DeleteFunc(slices.Clone(s.Kits.Catalogue().Kits()), func(k *kit.Kit) bool { return k.Name == name })
	id, err := strconv.ParseInt(device, 10, 64)
	if err != nil {
		return out, nil
	}
	if _, err := s.Kits.Own(r.Context(), middleware.Who(r.Context()), id); err != nil {
		return nil, err
	}
	if k, err := s.Kits.Kit(own.Name(id)); err == nil {
		out = append([]*kit.Kit{k}, out...)
	}
	return out, nil
}

// take takes readings of kits that say all words that are asked for, those first that are called so.
func (v *findsView) take(kits []*kit.Kit, asked string) {
	var named, others []foundReading
	says := func(text ...string) bool {
		said := strings.ToLower(strings.Join(text, " "))
		return !slices.ContainsFunc(strings.Fields(strings.ToLower(asked)), func(w string) bool { return !strings.Contains(said, w) })
	}
	for _, k := range kits {
		for _, reading := range k.Readings {
			found := foundReading{act("take kit "+k.Name+" "+reading.Key, reading.Name), k.Title}
			switch {
			case says(reading.Name):
				named = append(named, found)
			case says(k.Title, reading.Name, reading.Key, reading.About, reading.Unit):
				others = append(others, found)
			}
		}
	}
	v.Found = append(named, others...)
	if v.More = len(v.Found) > mostFinds; v.More {
		v.Found = v.Found[:mostFinds]
	}
}

func (v *findsView) takeObjects(objects []mib.Object) {
	n := 0
	for _, o := range objects {
		if !o.Valued() || o.Hidden {
			continue
		}
		if n++; n > mostFinds {
			v.More = true
			return
		}
		v.Found = append(v.Found, foundReading{act("take object "+o.OID.String(), o.Name), o.Module})
	}
}

// take brings a reading that was found into a draft.
func (s Screen) take(r *http.Request, d *draft.Draft, what string) (draft.Place, error) {
	from, key, err := s.foundFile(r, what)
	if err != nil {
		return draft.Place{}, err
	}
	other, err := s.book().Read(from)
	if err != nil {
		return draft.Place{}, err
	}
	return d.Take(other, key)
}

// foundFile is a kit file with a reading that was found, and the key of that.
func (s Screen) foundFile(r *http.Request, what string) (document, key string, err error) {
	ctx, who := r.Context(), middleware.Who(r.Context())
	sort, name, _ := strings.Cut(what, " ")
	if sort == "object" {
		at, err := mib.ParseOID(name)
		if err != nil {
			return "", "", domain.ErrNotFound
		}
		return s.Browse.Alone(ctx, who, at)
	}
	name, key, _ = strings.Cut(name, " ")
	if device, is := own.DeviceOf(name); is {
		document, err = s.Kits.OwnDocument(ctx, who, device)
		return document, key, err
	}
	versions, err := s.Kits.Versions(ctx, who, name)
	if err != nil {
		return "", "", err
	}
	x, err := s.Kits.Version(ctx, who, name, versions[0].Revision)
	return x.Document, key, err
}
