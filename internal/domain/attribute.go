package domain

// Attribute is a name with a value that people give to a place, a device or a part. One set
// at a place holds for all below, until another value is set lower; a tag has no value and
// holds for all below.
type Attribute struct {
	PlaceID  ID     `json:"place_id,omitempty"` // one of the three is set
	DeviceID ID     `json:"device_id,omitempty"`
	PartID   ID     `json:"part_id,omitempty"`
	Name     string `json:"name"`
	Value    string `json:"value,omitempty"`
	Tag      bool   `json:"tag,omitempty"`
}

// Owner is what an attribute is given to.
func (a Attribute) Owner() Attribute {
	return Attribute{PlaceID: a.PlaceID, DeviceID: a.DeviceID, PartID: a.PartID}
}

// Bounds of attributes, in characters.
const (
	MostAttributeName  = 60
	MostAttributeValue = 500
)
