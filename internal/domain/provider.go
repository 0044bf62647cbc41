package domain

// Provider is who else says who people are (OpenID Connect): people sign in there instead
// of with a password of ours.
type Provider struct {
	Title    string `json:"title"`  // what people know it by
	Issuer   string `json:"issuer"` // its address, as it writes it into what it issues
	ClientID string `json:"client_id"`
	// GroupsClaim is where it writes in which groups a person is.
	GroupsClaim string `json:"groups_claim"`
	// Groups are the groups that make people members of a team, by team.
	Groups  map[ID][]string `json:"groups"`
	Enabled bool            `json:"enabled"`
	// Stored tells whether there is a secret.
	Stored  bool `json:"secret_stored"`
	Version int  `json:"version"`
}

// Identity is what a provider says of a person.
type Identity struct {
	Issuer  string
	Subject string // never changes, and is never given to another
	Name    string
	Display string
	Groups  []string
}
