package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/mib/smi"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/modules"
)

// MIBModule is a MIB module that is loaded.
type MIBModule struct {
	Name     string   `json:"name" example:"LAMP-MIB"`
	File     string   `json:"file" example:"lamp.mib"`
	Objects  int      `json:"objects" example:"42"`
	Missing  []string `json:"missing" nullable:"false" doc:"The modules that it needs and that nobody has"`
	Problems []string `json:"problems" nullable:"false"`
	LoadedAt Moment   `json:"loaded_at"`
}

func (m MIBModule) at(string) (string, domain.ID) { return m.Name, 0 }

// MIBFiles are files with MIB modules.
type MIBFiles struct {
	Body struct {
		Files []MIBFile `json:"files" nullable:"false" maxItems:"500"`
	}
}

// MIBFile is one file, which may hold several modules.
type MIBFile struct {
	Name string `json:"name" maxLength:"200" example:"lamp.mib"`
	Text string `json:"text" maxLength:"4194304"`
}

// MIBLoaded is what came of loading.
type MIBLoaded struct {
	Problems []string `json:"problems" nullable:"false" doc:"What is wrong, with file and line; the rest is loaded"`
}

// MIBNamed names a module.
type MIBNamed struct {
	Name string `path:"name" maxLength:"200" example:"LAMP-MIB"`
}

func (a *api) modules() {
	const area, see, configure = domain.AreaCollect, domain.AccessSee, domain.AccessConfigure
	list(a, operation{http.MethodGet, "/modules", "List the MIB modules that are loaded", area, see}, orders{"name"},
		func(ctx context.Context, in SearchFilter) ([]MIBModule, error) {
			all, err := a.Modules.All(ctx, caller(ctx))
			return some(all, func(m modules.Module) bool { return holds(m.Name, in.Search) }, moduleOf), err
		})
	add(a, operation{http.MethodPost, "/modules", "Load MIB modules", area, configure},
		func(ctx context.Context, in *MIBFiles) (*Body[MIBLoaded], error) {
			files := every(in.Body.Files, func(f MIBFile) modules.File { return modules.File{Name: f.Name, Data: []byte(f.Text)} })
			problems, err := a.Modules.Take(ctx, caller(ctx), files)
			return one(MIBLoaded{every(problems, smi.Problem.String)}, err)
		})
	add(a, operation{http.MethodDelete, "/modules/{name}", "Remove a MIB module", area, configure},
		func(ctx context.Context, in *MIBNamed) (*none, error) {
			return nil, a.Modules.Remove(ctx, caller(ctx), in.Name)
		})
}

func moduleOf(m modules.Module) MIBModule {
	return MIBModule{m.Name, m.File, m.Objects, append([]string{}, m.Missing...), every(m.Problems, smi.Problem.String), Moment{m.LoadedAt}}
}
