package ui

import (
	"net/http"
	"reflect"
	"strconv"
	"strings"
	"unicode"

	formdecoder "github.com/go-playground/form/v4"

	"tirelessowl/internal/domain"
)

// Form reads a posted form into a struct with `form` tags. Values are trimmed;
// what does not fit its field is told at it, and the field is left empty.
func Form(r *http.Request, into any) (domain.FieldErrors, error) {
	errs := domain.FieldErrors{}
	if err := r.ParseForm(); err != nil {
		return errs, err
	}
	d := formdecoder.NewDecoder()
	d.SetMode(formdecoder.ModeExplicit)
	d.RegisterCustomTypeFunc(func(typed []string) (any, error) { return strings.TrimSpace(typed[0]), nil }, "")
	d.RegisterCustomTypeFunc(func(typed []string) (any, error) { return wholeOf(typed[0]) }, 0)
	err := d.Decode(into, r.PostForm)
	wrong, ok := err.(formdecoder.DecodeErrors)
	if err != nil && !ok {
		return errs, err
	}
	for name := range wrong {
		errs[name] = message(into, name)
	}
	return errs, nil
}

func wholeOf(typed string) (int, error) {
	typed = strings.TrimSpace(typed)
	if typed == "" {
		return 0, nil
	}
	return strconv.Atoi(typed)
}

// message says what a field takes.
func message(into any, name string) string {
	t := reflect.TypeOf(into).Elem()
	for i := range t.NumField() {
		if f := t.Field(i); f.Tag.Get("form") == name && f.Type.Kind() == reflect.Int {
			return "Must be a whole number."
		}
	}
	return "Is not one of the choices."
}

// YesOrNo reads a field that switches something: it must be there, since what is missing
// would switch it off. Errors are by the name of the field.
func YesOrNo(r *http.Request, name string) (bool, error) {
	switch r.PostFormValue(name) {
	case "yes":
		return true, nil
	case "no":
		return false, nil
	}
	return false, domain.FieldErrors{name: "Must be yes or no."}
}

// IDOf reads an id that was chosen; nothing chosen is zero.
func IDOf(text string) (domain.ID, error) {
	if text == "" {
		return 0, nil
	}
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil || id < 0 {
		return 0, domain.ErrNotFound
	}
	return id, nil
}

// Inside returns an address within the application, and another one where it is none: a
// link that somebody sends must not lead to a foreign host.
func Inside(to, otherwise string) string {
	odd := func(r rune) bool { return r == '\\' || unicode.IsControl(r) || unicode.IsSpace(r) } // browsers read \ as /
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsFunc(to, odd) {
		return otherwise
	}
	return to
}
