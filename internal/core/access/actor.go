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
	// SignIn is the sign-in in which a person acts; zero for all else.
	SignIn domain.ID
	// Untrusted is true where only looking is allowed because of the browser, and
	// Lowered where the person could do more in one that is trusted.
	Untrusted, Lowered bool
	// Because is why it acts, where that is more than that it wants to; it is noted.
	Because string
	Sheet
}

// Itself is the application, acting for the reason that its name says.
func Itself(name string) Actor {
	return Actor{Kind: Application, Name: name, Sheet: Unbounded("The application itself")}
}
