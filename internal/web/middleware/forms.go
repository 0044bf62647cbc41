package middleware

import (
	"errors"
	"fmt"
	"mime"
	"net/http"
	"net/url"
	"slices"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
)

// formMemory is how much of a form with files is kept in memory, in bytes; the rest waits
// in a file that goes with the request.
const formMemory = 1 << 20

// Forms refuses what cannot be read as a whole: of a form that broke off, or is none, what
// is missing would be taken for what was switched off. The documents are the paths that take
// JSON instead.
func Forms(documents []string, failed func(http.ResponseWriter, *http.Request, error)) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if err := readable(r, slices.Contains(documents, r.URL.Path)); err != nil {
				failed(w, r, err)
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

func readable(r *http.Request, document bool) error {
	query, err := url.ParseQuery(r.URL.RawQuery)
	if err != nil {
		return fmt.Errorf("%w: %w", domain.ErrUnreadable, err)
	}
	if err := texts(query); err != nil || r.Method == http.MethodGet || r.Method == http.MethodHead {
		return err
	}
	kind, _, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	switch {
	case r.ContentLength == 0, document && kind == "application/json":
		err = nil
	case kind == "application/x-www-form-urlencoded":
		err = r.ParseForm()
	case kind == "multipart/form-data":
		err = r.ParseMultipartForm(formMemory)
	default:
		err = errors.Join(err, errors.New("it is no form"))
	}
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return err
	}
	if err != nil {
		return fmt.Errorf("%w: %w", domain.ErrUnreadable, err)
	}
	return texts(r.PostForm)
}

// texts refuses what is no text, and the one character that the database does not take.
func texts(form url.Values) error {
	for name, values := range form {
		for _, typed := range append(values, name) {
			if !text.Legible(typed) {
				return fmt.Errorf("%w: the field %.40q is no text", domain.ErrUnreadable, name)
			}
		}
	}
	return nil
}
