package access

import "tirelessowl/internal/domain"

// Kind says what an actor is.
type Kind string

// The kinds of actors.
const (
	Person      Kind = "person"
	Token       Kind = "token"
	Application Kind = "application"
)

// Actor is who acts. The zero actor may do nothing.
type Actor struct {
	Kind Kind
	ID   domain.ID
	Name string // as it is shown
	From string // the address that the request came from; empty for the application
	// Untrusted is true where only looking is allowed because of the browser.
	Untrusted bool
	Sheet
}

// Itself is the application, acting for the reason that its name says.
func Itself(name string) Actor {
	return Actor{Kind: Application, Name: name, Sheet: Unbounded("The application itself")}
}
