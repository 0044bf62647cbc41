package places

import (
	"errors"
	"fmt"
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// settingsView is what is set at a place or above it and holds for all below.
type settingsView struct {
	Rows []settingView
}

// settingView is one of them, with the form that changes it.
type settingView struct {
	places.Setting
	URL     string
	May     bool
	Typed   string
	Problem string
}

// Origin says in words where the value comes from.
func (v settingView) Origin() string {
	switch {
	case !v.Set:
		return "set nowhere"
	case v.Here:
		return "set here"
	}
	return "from " + v.Resolved.Name
}

// Action is what the form is for.
func (v settingView) Action() string {
	switch {
	case v.Here:
		return "change"
	case v.Set:
		return "override here"
	}
	return "set here"
}

// Back says what holds again when the value here is taken away.
func (v settingView) Back() string {
	if v.Else == "" {
		return "Take away"
	}
	return "Back to “" + v.Else + "”"
}

// Field is where the value is typed.
func (v settingView) Field() ui.FieldView {
	return ui.Typed("setting-"+string(v.Key)+"-", "value", v.Title, v.Typed, v.Help, v.Problem)
}

func (s Screen) settings(w http.ResponseWriter, r *http.Request) error {
	return s.showSettings(w, r, http.StatusOK, "", "", nil)
}

func (s Screen) showSettings(
	w http.ResponseWriter,
	r *http.Request,
	status int,
	key domain.SettingKey,
	typed string,
	problems domain.FieldErrors,
) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	who := middleware.Who(r.Context())
	all, err := s.Places.Settings(r.Context(), who, id)
	if err != nil {
		return err
	}
	var v settingsView
	for _, x := range all {
		row := settingView{Setting: x, URL: fmt.Sprintf("%s/%d/settings", listPath, id)}
		row.May = who.May(domain.AreaRun, domain.AccessConfigure, id)
		row.Typed = x.Shown
		if x.Key == key && problems != nil {
			row.Typed, row.Problem = typed, problems["value"]
		}
		v.Rows = append(v.Rows, row)
	}
	return s.Render.Fragment(w, status, "places", "settings", v)
}

func (s Screen) saveSetting(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	key, typed := domain.SettingKey(r.PostFormValue("key")), r.PostFormValue("value")
	if r.PostFormValue("unset") != "" {
		typed = ""
	}
	err = s.Places.SetSetting(r.Context(), middleware.Who(r.Context()), id, key, typed)
	var problems domain.FieldErrors
	if errors.As(err, &problems) {
		return s.showSettings(w, r, http.StatusUnprocessableEntity, key, typed, problems)
	}
	if err != nil {
		return err
	}
	return s.showSettings(w, r, http.StatusOK, "", "", nil)
}
