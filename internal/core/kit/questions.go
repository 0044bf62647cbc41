package kit

import (
	"net/netip"
	"strings"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// Talk is how a device is talked to by one way.
type Talk struct {
	Address    netip.Addr // invalid for the device's own
	Settings   way.Settings
	Credential way.Opened
	// Withheld says why the device is not asked at all; empty where it is.
	Withheld string
}

// Questions are what the kit asks of a device where it is fitted with some
// parameters; talks are the device's endpoints by way.
func (k *Kit) Questions(d domain.Device, parameters map[string]string, talks map[string]Talk) (out []way.Question) {
	for _, src := range k.SourcesFor(parameters) {
		if q, ok := k.Question(src, d, parameters, talks[src.Way]); ok {
			out = append(out, q)
		}
	}
	return out
}

// Question is what one source asks; ok is false where its way is not known.
func (k *Kit) Question(src Source, d domain.Device, parameters map[string]string, talk Talk) (q way.Question, ok bool) {
	w, ok := k.ways.Of(src.Way)
	if !ok {
		return q, false
	}
	q = Open(w, d, talk)
	q.Key, q.Every, q.Ask, q.Columns = k.Name+"/"+src.Key, src.Every, k.filled(w, src, parameters), src.columns
	return q, true
}

// Open is a question to a device by a way, of which it is only said whom it is for.
func Open(w way.Way, d domain.Device, talk Talk) way.Question {
	endpoint, _ := field.Check(w.Endpoint, talk.Settings)
	q := way.Question{
		Device:     d.ID,
		Way:        w.Name,
		Address:    d.Address,
		Endpoint:   endpoint,
		Credential: talk.Credential,
		Withheld:   talk.Withheld,
	}
	if talk.Address.IsValid() {
		q.Address = talk.Address
	}
	return q
}

// filled puts parameters into what a source asks; what is empty then is left
// to the defaults.
func (k *Kit) filled(w way.Way, src Source, parameters map[string]string) way.Settings {
	var pairs []string
	for _, p := range k.Parameters {
		pairs = append(pairs, "{"+p.Name+"}", k.parameter(parameters, p.Name))
	}
	fill := strings.NewReplacer(pairs...)
	ask := way.Settings{}
	for name, text := range src.Ask {
		ask[name] = fill.Replace(text)
	}
	clean, _ := field.Check(w.Ask, ask)
	return clean
}

// Check validates the values of a kit's parameters, by name, and returns them
// with their defaults. Unknown ones are refused.
func (k *Kit) Check(values map[string]string) (map[string]string, domain.FieldErrors) {
	return field.Check(k.Parameters, values)
}
