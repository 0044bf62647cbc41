package domain

// Calendar is hours that have a name, to be set where they hold.
type Calendar struct {
	ID    ID     `json:"id"`
	Name  string `json:"name"`
	Hours string `json:"hours"` // as cadence.ReadHours reads them
	// Version counts its changes; a change may name the one that it was made of.
	Version int `json:"version"`
}
