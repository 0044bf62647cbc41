package domain

// News tells those who look that something changed: “health” or “values” of a device,
// “incidents”, a “sweep”.
type News struct {
	Kind string
	ID   ID
	// At is where it is; zero for what belongs to the whole tree.
	At   Spot
	Area Area // whose people it is for
}
