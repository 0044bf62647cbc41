package api

import (
	"context"
	"net/http"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/attributes"
)

// Attribute is a name with a value, or a tag, that holds for a thing.
type Attribute struct {
	Name  string    `json:"name" example:"role"`
	Value string    `json:"value" example:"standby" doc:"Empty for a tag"`
	Tag   bool      `json:"tag" example:"false"`
	Here  bool      `json:"here" doc:"It is set at the thing itself"`
	From  Ref       `json:"from" doc:"The place that it comes from; null for the thing itself, or what may not be seen"`
	Why   why.Trace `json:"why"`
	ETag  string    `json:"etag" doc:"For If-Match: of what is set at the thing itself"`
}

func attributeOf(a inherit.Attribute) Attribute {
	mark := ""
	if a.Here {
		mark = attributes.MarkOf(a.Value)
	}
	return Attribute{a.Name, a.Value, a.Tag, a.Here, Ref(a.Thing.Place), a.Why, quoted(mark)}
}

func (a Attribute) at(string) (string, domain.ID) {
	if a.Tag {
		return a.Name, 1
	}
	return a.Name, 0
}

// SetAttribute is an attribute, and at what it is set.
type SetAttribute struct {
	PlaceID  Ref    `json:"place_id"`
	DeviceID Ref    `json:"device_id"`
	PartID   Ref    `json:"part_id"`
	Name     string `json:"name" example:"role"`
	Value    string `json:"value" example:"standby"`
	Tag      bool   `json:"tag" example:"false"`
}

func (s SetAttribute) at(string) (string, domain.ID) {
	key := s.Name
	for _, id := range []Ref{s.PlaceID, s.DeviceID, s.PartID} {
		key += " " + sortable(domain.ID(id))
	}
	return key, 0
}

// NamedAttribute names an attribute of a thing.
type NamedAttribute struct {
	ByID
	IfMatch
	Name string `path:"name" maxLength:"300" doc:"The name; of a tag with # before it" example:"role"`
}

// change is one of the attribute that is named.
func (n NamedAttribute) change(value string, unset bool) attributes.Change {
	name, tag := strings.CutPrefix(n.Name, "#")
	return attributes.Change{Name: name, Value: value, Tag: tag, Unset: unset, Mark: n.mark()}
}

func (a *api) attributes() {
	list(a, operation{http.MethodGet, "/attributes", "List all attributes and tags, and at what they are set", domain.AreaWatch,
		domain.AccessSee}, orders{"name"},
		func(ctx context.Context, in SearchFilter) ([]SetAttribute, error) {
			all, err := a.Attributes.All(ctx, caller(ctx))
			return some(all, func(x domain.Attribute) bool { return holds(x.Name+" "+x.Value, in.Search) },
				func(x domain.Attribute) SetAttribute {
					return SetAttribute{Ref(x.PlaceID), Ref(x.DeviceID), Ref(x.PartID), x.Name, x.Value, x.Tag}
				}), err
		})
	a.attributesOf("places", domain.AreaRun, domain.AreaRun, inherit.Place)
	a.attributesOf("devices", domain.AreaWatch, domain.AreaCollect, inherit.Device)
	a.attributesOf("parts", domain.AreaWatch, domain.AreaCollect, inherit.Part)
}

func (a *api) attributesOf(of string, sees, writes domain.Area, thing func(domain.ID) inherit.Thing) {
	path, what := "/"+of+"/{id}/attributes", "a "+strings.TrimSuffix(of, "s")
	list(a, operation{http.MethodGet, path, "List the attributes and tags that hold for " + what, sees, domain.AccessSee}, orders{"name"},
		func(ctx context.Context, in OfThing) ([]Attribute, error) {
			shown, err := a.Attributes.Of(ctx, caller(ctx), thing(in.ID))
			return every(shown.All, attributeOf), err
		})
	type value struct {
		NamedAttribute
		Body struct {
			Value string `json:"value,omitempty" maxLength:"2000" doc:"Left out for a tag" example:"standby"`
		}
	}
	set := func(ctx context.Context, who access.Actor, id domain.ID, c attributes.Change) error {
		return a.Attributes.Set(ctx, who, thing(id), []attributes.Change{c})
	}
	add(a, operation{http.MethodPut, path + "/{name}", "Set an attribute or a tag at " + what, writes, domain.AccessConfigure},
		func(ctx context.Context, in *value) (*none, error) {
			return nil, set(ctx, caller(ctx), in.ID, in.change(in.Body.Value, false))
		})
	add(a, operation{http.MethodDelete, path + "/{name}", "Take away what is set at " + what + ": what comes from above holds", writes,
		domain.AccessConfigure},
		func(ctx context.Context, in *NamedAttribute) (*none, error) {
			return nil, set(ctx, caller(ctx), in.ID, in.change("", true))
		})
}
