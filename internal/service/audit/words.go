package audit

import (
	"context"
	"strconv"
	"strings"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Row is an entry with what was changed, in words.
type Row struct {
	domain.Entry
	Changes []Change
}

// called are what things are called that others are known by in notes.
type called struct{ places, people, devices map[string]string }

// kindOf says of which things the ids of a path are: places, people or devices; nothing
// where they are none.
func kindOf(path string) string {
	for _, part := range strings.Split(path, ".") {
		switch part {
		case "place_id", "parent_id":
			return "places"
		case "members", "user_id", "owner_id":
			return "people"
		case "via", "device_id":
			return "devices"
		}
	}
	return ""
}

// inWords says changes of entries with the names that an actor may see.
func inWords(ctx context.Context, seen *store.Seen, rows []Row) error {
	names, err := calledOf(ctx, seen, rows)
	if err != nil {
		return err
	}
	for i := range rows {
		for j, c := range rows[i].Changes {
			rows[i].Changes[j] = Change{
				Name:   fieldWords(c.Name),
				Before: names.value(c.Name, c.Before),
				After:  names.value(c.Name, c.After),
			}
		}
	}
	return nil
}

func calledOf(ctx context.Context, seen *store.Seen, rows []Row) (out called, err error) {
	ids := map[string][]domain.ID{}
	for _, r := range rows {
		for _, c := range r.Changes {
			for _, text := range []string{c.Before, c.After} {
				if id, err := strconv.ParseInt(text, 10, 64); err == nil {
					ids[kindOf(c.Name)] = append(ids[kindOf(c.Name)], id)
				}
			}
		}
	}
	out.places, out.people, out.devices = map[string]string{"0": "the whole tree"}, map[string]string{}, map[string]string{}
	if len(ids["places"]) > 0 {
		places, err := seen.Places.All(ctx)
		if err != nil {
			return out, err
		}
		for _, p := range places {
			out.places[strconv.FormatInt(p.ID, 10)] = p.Name
		}
	}
	if len(ids["people"]) > 0 {
		people, err := seen.Users.All(ctx)
		if err != nil {
			return out, err
		}
		for _, u := range people {
			out.people[strconv.FormatInt(u.ID, 10)] = u.Called()
		}
	}
	names, err := seen.Devices.Names(ctx, ids["devices"])
	for id, name := range names {
		out.devices[strconv.FormatInt(id, 10)] = name
	}
	return out, err
}

func (n called) value(path, text string) string {
	switch kindOf(path) {
	case "places":
		return named(n.places, text)
	case "people":
		return named(n.people, text)
	case "devices":
		return named(n.devices, text)
	}
	switch text {
	case "true":
		return "yes"
	case "false":
		return "no"
	}
	return text
}

// named is what an id stands for; what is gone or not seen keeps its number.
func named(names map[string]string, id string) string {
	if name := names[id]; name != "" {
		return name
	}
	if id == "" || id == "0" {
		return ""
	}
	return "no. " + id
}

// words are those for which the name of a field does not do.
var words = map[string]string{
	"parent_id":  "lies below",
	"place_id":   "place",
	"via":        "reached through",
	"at_least":   "from",
	"display":    "shown name",
	"grants":     "grant",
	"members":    "member",
	"areas":      "work area",
	"steps":      "step",
	"only_told":  "only to those told before",
	"channel_id": "channel",
}

// fieldWords says the name of a field so that people understand it: of “grants.0.place_id”
// it makes “grant 1, place”.
func fieldWords(path string) string {
	var out []string
	for _, part := range strings.Split(path, ".") {
		if n, err := strconv.Atoi(part); err == nil && len(out) > 0 {
			out[len(out)-1] += " " + strconv.Itoa(n+1)
			continue
		}
		word, ok := words[part]
		if !ok {
			word = strings.ReplaceAll(part, "_", " ")
		}
		out = append(out, word)
	}
	return strings.Join(out, ", ")
}
