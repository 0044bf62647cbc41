package kit

import (
	"cmp"
	"maps"
	"net/netip"
	"slices"
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
	// Secret opens the secrets that parameters stand for; nil where none can be.
	Secret Keeper
	// Withheld says why the device is not asked at all; empty where it is.
	Withheld string
	// Refuses says what is against connecting to an address; nil where nothing is.
	Refuses func(netip.Addr) string
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
	opened, withheld := k.opened(src, q.Address, parameters, talk.Secret)
	q.Withheld = cmp.Or(q.Withheld, withheld)
	q.Hide = slices.Collect(maps.Values(opened))
	q.Key, q.Every, q.Ask, q.Columns = k.Name+"/"+src.Key, src.Every, k.filled(w, src, k.sent(parameters, opened)), src.columns
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
		Refuses:    talk.Refuses,
	}
	if talk.Address.IsValid() {
		q.Address = talk.Address
	}
	return q
}

// filled puts the values of parameters into what a source asks; what is empty then is left
// to the defaults.
func (k *Kit) filled(w way.Way, src Source, value func(field.Field) string) way.Settings {
	var pairs []string
	for _, p := range k.Parameters {
		pairs = append(pairs, "{"+p.Name+"}", value(p))
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
// with their defaults. Unknown ones are refused. One that must be set need not be among them: it may be set
// somewhere else; see Missing.
func (k *Kit) Check(values map[string]string) (map[string]string, domain.FieldErrors) {
	fields := slices.Clone(k.Parameters)
	for i := range fields {
		fields[i].Required = false
	}
	clean, errs := field.Check(fields, values)
	for name, value := range clean {
		if problem := k.unfit(name, value); problem != "" {
			errs[name] = problem
			delete(clean, name)
		}
	}
	return clean, errs
}

// lengthen lets parameters be as long as the settings that they fill alone.
func (k *Kit) lengthen() {
	for i, p := range k.Parameters {
		for _, src := range k.Sources {
			w, _ := k.ways.Of(src.Way)
			for _, f := range w.Ask {
				if src.Ask[f.Name] == "{"+p.Name+"}" {
					k.Parameters[i].Most = max(k.Parameters[i].Most, f.Most)
				}
			}
		}
	}
}

// unfit says what is wrong with a value for the settings of sources that are nothing but the parameter; empty for nothing.
func (k *Kit) unfit(parameter, value string) string {
	if slices.ContainsFunc(k.secrets(), func(p field.Field) bool { return p.Name == parameter }) {
		return "" // it stands for something else
	}
	for _, src := range k.Sources {
		w, _ := k.ways.Of(src.Way)
		for _, f := range w.Ask {
			if src.Ask[f.Name] != "{"+parameter+"}" {
				continue
			}
			if problem := f.Problem(value); problem != "" {
				return problem
			}
		}
	}
	return ""
}

// Missing are the parameters that must be set, and have neither a value nor a default.
func (k *Kit) Missing(values map[string]string) (out []field.Field) {
	for _, p := range k.Parameters {
		if p.Required && k.Value(values, p.Name) == "" {
			out = append(out, p)
		}
	}
	return out
}

// Asked are the parameters that are asked for where the kit is fitted, in the order in which they are filled in.
func (k *Kit) Asked() (out []field.Field) {
	for _, p := range k.Parameters {
		if !p.Hidden {
			out = append(out, p)
		}
	}
	return out
}

// uses tells whether what a source asks, or whether it is asked, depends on a parameter.
func (s Source) uses(parameter string) bool {
	if _, when := s.When[parameter]; when {
		return true
	}
	for _, text := range s.Ask {
		if strings.Contains(text, "{"+parameter+"}") {
			return true
		}
	}
	return false
}

// Needing are the keys of the sources that cannot be asked without a parameter.
func (k *Kit) Needing(parameter string) (out []string) {
	for _, src := range k.Sources {
		if src.uses(parameter) && !slices.Contains(out, src.Key) {
			out = append(out, src.Key)
		}
	}
	return out
}
