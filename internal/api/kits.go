package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/domain"
)

// Kit is a kit in force.
type Kit struct {
	Name    string   `json:"name"`
	Title   string   `json:"title"`
	About   string   `json:"about"`
	Version int      `json:"version"`
	Needs   []string `json:"needs"   nullable:"false" doc:"Facts that a device must show for it to fit"`
}

func (a *api) kits() {
	const tag = "kits"
	add(
		a,
		domain.AreaCollect,
		domain.AccessSee,
		http.MethodGet,
		"/kits",
		tag,
		"All kits in force",
		func(ctx context.Context, _ *none) (*Body[Items[Kit]], error) {
			kits, err := a.Kits.Known(ctx, caller(ctx))
			out := []Kit{}
			for _, k := range kits {
				out = append(out, Kit{k.Name, k.Title, k.About, k.Version, append([]string{}, k.Needs...)})
			}
			return items(out, err)
		},
	)
	type named struct {
		Name string `path:"name"`
	}
	add(
		a,
		domain.AreaCollect,
		domain.AccessSee,
		http.MethodGet,
		"/kits/{name}/versions",
		tag,
		"The versions of a kit, newest first; the first is in force",
		func(ctx context.Context, in *named) (*Body[Items[domain.KitVersion]], error) {
			return items(a.Kits.Versions(ctx, caller(ctx), in.Name))
		},
	)
	type numbered struct {
		named
		Revision int `path:"revision" minimum:"1"`
	}
	add(a, domain.AreaCollect, domain.AccessSee, http.MethodGet, "/kits/{name}/versions/{revision}", tag,
		"One version of a kit with its document, which can be brought in elsewhere",
		func(ctx context.Context, in *numbered) (*Body[domain.KitVersion], error) {
			return one(a.Kits.Version(ctx, caller(ctx), in.Name, in.Revision))
		})
	type document struct {
		Body struct {
			Document string `json:"document" doc:"A kit file (YAML)" minLength:"1" maxLength:"262144"`
		}
	}
	add(
		a,
		domain.AreaCollect,
		domain.AccessConfigure,
		http.MethodPost,
		"/kits",
		tag,
		"Bring in a kit as its newest version; it is in force at once",
		func(ctx context.Context, in *document) (*Body[domain.KitVersion], error) {
			return one(a.Kits.Bring(ctx, caller(ctx), in.Body.Document))
		},
	)
}
