package api

import (
	"encoding/json"
	"maps"
	"reflect"

	jsonpatch "github.com/evanphx/json-patch/v5"

	"github.com/danielgtaylor/huma/v2"
)

// Patch is a JSON merge patch (RFC 7396) of what can be changed of a thing: what it leaves
// out stays as it is.
type Patch[D any] struct{ document json.RawMessage }

// UnmarshalJSON keeps the patch as it came.
func (p *Patch[D]) UnmarshalJSON(document []byte) error {
	p.document = append(p.document[:0], document...)
	return nil
}

// Schema describes it: as the whole, of which nothing is required.
func (Patch[D]) Schema(r huma.Registry) *huma.Schema {
	whole := r.Schema(reflect.TypeFor[D](), false, "")
	s := *whole
	s.Required, s.Properties = nil, maps.Clone(whole.Properties)
	s.PrecomputeMessages()
	return &s
}

// applied is what a thing becomes by a patch.
func (p Patch[D]) applied(now D) (next D, err error) {
	document, err := json.Marshal(now)
	if err != nil {
		return next, err
	}
	merged, err := jsonpatch.MergePatch(document, p.document)
	if err != nil {
		return next, huma.Error400BadRequest("the body is no JSON merge patch")
	}
	return next, json.Unmarshal(merged, &next)
}

// Sent is a thing as it is sent back changed: of it only what may be changed is read, so
// that a client can send what it got.
type Sent[V, D any] struct{ draft D }

// UnmarshalJSON reads what may be changed.
func (s *Sent[V, D]) UnmarshalJSON(document []byte) error { return json.Unmarshal(document, &s.draft) }

// Schema describes it: what may not be changed is there to be read only.
func (Sent[V, D]) Schema(r huma.Registry) *huma.Schema {
	draft := r.Schema(reflect.TypeFor[D](), false, "")
	s := *draft
	s.Properties = maps.Clone(draft.Properties)
	for name, property := range r.Schema(reflect.TypeFor[V](), false, "").Properties {
		if s.Properties[name] == nil {
			fixed := *resolved(r, property)
			fixed.ReadOnly = true
			s.Properties[name] = &fixed
		}
	}
	s.PrecomputeMessages()
	return &s
}
