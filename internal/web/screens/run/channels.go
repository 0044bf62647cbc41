package run

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

type channelsView struct {
	Show     string
	Channels []channelView
	Kinds    channel.Kinds // that can be made
	May      domain.Access
}

// channelView is a channel with its form as it was typed.
type channelView struct {
	domain.Channel
	About   channel.Kind
	Values  map[string]string
	To      string // of a trial
	Errors  domain.FieldErrors
	Notice  string
	Problem string
	May     domain.Access
	// Meanwhile says what somebody else has made of it; empty for nobody.
	Meanwhile string
}

// meanwhile says what somebody else has made of what was typed.
func (v channelView) meanwhile(typed map[string]string) string {
	var now []string
	for _, f := range field.Open(v.About.Settings) {
		if is := v.Channel.Settings[f.Name]; is != typed[f.Name] {
			now = append(now, fmt.Sprintf("%s is “%s”", f.Label, is))
		}
	}
	return strings.Join(now, ", ")
}

// Fields are the settings of the channel as form fields.
func (v channelView) Fields() []ui.FieldView {
	out := ui.Fields(fmt.Sprintf("channel-%d-", v.ID), v.About.Settings, v.Values, v.Errors)
	for i, f := range out {
		out[i].Stored = f.Kind == field.Secret && slices.Contains(v.Secrets, f.Name)
		if out[i].Stored && !v.SealedAt.IsZero() {
			out[i].Since = ui.Ago(v.SealedAt) + " ago"
		}
	}
	return out
}

// Recipient is the field of whom a trial tells; nil where nobody is named.
func (v channelView) Recipient() *ui.FieldView {
	if v.About.Recipient == nil {
		return nil
	}
	f := *v.About.Recipient
	f.Label = "Test to"
	out := ui.Fields(fmt.Sprintf("channel-%d-", v.ID), []field.Field{f}, map[string]string{f.Name: v.To}, v.Errors)
	return &out[0]
}

func (s Screen) channels(w http.ResponseWriter, r *http.Request) error {
	channels, err := s.Respond.Channels(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return err
	}
	v := channelsView{Show: "channels", May: may(r), Kinds: s.Respond.ChannelKinds()}
	for _, c := range channels {
		about, _ := v.Kinds.Of(c.Kind)
		v.Channels = append(v.Channels, channelView{Channel: c, About: about, Values: c.Settings, May: v.May})
	}
	return s.Render.Page(w, r, "run", render.Frame{Title: "Channels", Area: domain.AreaRun, Tab: channelsPath, Body: v})
}

func (s Screen) channel(r *http.Request) (channelView, error) {
	id, err := screen.ID(r)
	if err != nil {
		return channelView{}, err
	}
	c, about, err := s.Respond.Channel(r.Context(), middleware.Who(r.Context()), id)
	return channelView{Channel: c, About: about, Values: c.Settings, Errors: domain.FieldErrors{}, May: may(r)}, err
}

// addChannel makes a channel that is to be filled in.
func (s Screen) addChannel(w http.ResponseWriter, r *http.Request) error {
	c, err := s.Respond.AddChannel(r.Context(), middleware.Who(r.Context()), r.PostFormValue("kind"))
	if err != nil {
		return err
	}
	http.Redirect(w, r, fmt.Sprintf("/run/channels#channel-%d", c.ID), http.StatusSeeOther)
	return nil
}

func (s Screen) saveChannel(w http.ResponseWriter, r *http.Request) error {
	v, err := s.channel(r)
	if err != nil {
		return err
	}
	typed := map[string]string{}
	for _, f := range v.About.Settings {
		typed[f.Name] = r.PostFormValue(f.Name)
	}
	version, _ := strconv.Atoi(r.PostFormValue("version"))
	err = s.Respond.SaveChannel(r.Context(), middleware.Who(r.Context()), v.ID, version, typed)
	if errors.Is(err, domain.ErrChanged) {
		v.Meanwhile, v.Values = v.meanwhile(typed), typed
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "run", "channel", v)
	}
	if errors.As(err, &v.Errors) {
		v.Values = typed
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "run", "channel", v)
	}
	if err != nil {
		return err
	}
	if v, err = s.channel(r); err != nil {
		return err
	}
	v.Notice = "Saved."
	return s.Render.Fragment(w, http.StatusOK, "run", "channel", v)
}

func (s Screen) testChannel(w http.ResponseWriter, r *http.Request) error {
	v, err := s.channel(r)
	if err != nil {
		return err
	}
	v.To = r.PostFormValue("to")
	outcome, err := s.Respond.TryChannel(r.Context(), middleware.Who(r.Context()), v.ID, v.To)
	switch {
	case errors.As(err, &v.Errors):
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "run", "channel", v)
	case errors.Is(err, domain.ErrForbidden):
		return err
	case err != nil:
		v.Problem = err.Error()
	default:
		v.Notice = "It works: " + outcome + "."
	}
	return s.Render.Fragment(w, http.StatusOK, "run", "channel", v)
}
