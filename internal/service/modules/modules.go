// Package modules is the use cases of MIB modules: people load them, so that what devices tell is
// shown in words.
package modules

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/mib/smi"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Service is the use cases.
type Service struct {
	desk    *act.Desk
	store   *store.Store
	shipped []mib.Object
	tree    atomic.Pointer[mib.Tree]
	mu      sync.Mutex // held while modules are loaded or removed
	loading loading
}

// New returns the service; it knows the shipped objects alone until Load.
func New(s *store.Store, desk *act.Desk, shipped []mib.Object) *Service {
	out := &Service{desk: desk, store: s, shipped: shipped}
	out.tree.Store(mib.NewTree(shipped))
	return out
}

// Objects are all that are described; what is returned does not change.
func (s *Service) Objects() *mib.Tree { return s.tree.Load() }

// Load takes up what was made of the modules before.
func (s *Service) Load(ctx context.Context) error {
	made, err := s.store.Modules.Made(ctx)
	if err != nil {
		return err
	}
	sets := [][]mib.Object{s.shipped}
	for _, m := range made {
		sets = append(sets, m.Made.Objects)
	}
	s.tree.Store(mib.NewTree(sets...))
	return nil
}

// Module is one that is loaded.
type Module struct {
	Name, File string
	Objects    int
	Missing    []string
	Problems   []smi.Problem
	LoadedAt   time.Time
}

// All returns the modules that are loaded, by name.
func (s *Service) All(ctx context.Context, who access.Actor) ([]Module, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	made, err := seen.Modules.Made(ctx)
	out := make([]Module, len(made))
	for i, m := range made {
		out[i] = Module{m.Name, m.File, len(m.Made.Objects), m.Made.Missing, m.Made.Problems, m.LoadedAt}
	}
	return out, err
}

// File is one that is loaded.
type File struct {
	Name string
	Data []byte
}

// The bounds of what is loaded at once.
const (
	MostFiles = 500
	MostBytes = 32 << 20
)

var (
	loadModules  = act.Deed{Name: "load MIB modules", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	removeModule = act.Deed{Name: "remove a MIB module", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
)

// noted is what is kept of a loading in the audit.
type noted struct {
	Objects int      `json:"objects"`
	File    string   `json:"file"`
	Missing []string `json:"missing,omitempty"`
}

// Begin begins to load files in the background; State tells how far it is. It is ErrConflict while
// others are loaded.
func (s *Service) Begin(ctx context.Context, who access.Actor, files []File) error {
	if err := s.mayLoad(ctx, who, files); err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(context.WithoutCancel(ctx))
	if !s.loading.begin(len(files), cancel) {
		cancel()
		return fmt.Errorf("%w: other modules are being loaded", domain.ErrConflict)
	}
	go func() {
		defer cancel()
		problems, err := s.load(ctx, who, files, s.loading.step)
		s.loading.end(problems, err)
	}()
	return nil
}

// Take loads files at once, and returns what is wrong with them.
func (s *Service) Take(ctx context.Context, who access.Actor, files []File) ([]smi.Problem, error) {
	if err := s.mayLoad(ctx, who, files); err != nil {
		return nil, err
	}
	return s.load(ctx, who, files, func() {})
}

// mayLoad refuses before anything is read: who may not, and what is too much.
func (s *Service) mayLoad(ctx context.Context, who access.Actor, files []File) error {
	if _, err := s.desk.Reach(ctx, who, loadModules); err != nil {
		return err
	}
	bytes := 0
	for _, f := range files {
		bytes += len(f.Data)
	}
	switch {
	case !who.May(domain.AreaCollect, domain.AccessConfigure, domain.At(0)):
		return fmt.Errorf("%w: modules belong to the whole tree", domain.ErrForbidden)
	case len(files) == 0:
		return domain.FieldErrors{"files": "Choose one file or more."}
	case len(files) > MostFiles || bytes > MostBytes:
		return domain.FieldErrors{"files": fmt.Sprintf("At most %d files with %d MiB in all.", MostFiles, MostBytes>>20)}
	}
	return nil
}

// load reads files, links them with what is there, and stores what came of it. Modules that
// lacked something before are made anew, too.
func (s *Service) load(ctx context.Context, who access.Actor, files []File, step func()) (problems []smi.Problem, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	var sources []smi.Source
	for _, f := range files {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		read, wrong := smi.Read(text.Brief(f.Name, 200), f.Data)
		sources, problems = append(sources, read...), append(problems, wrong...)
		step()
	}
	sources = lastOfEach(sources)
	err = s.desk.Do(ctx, who, loadModules, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		again, known, err := s.around(ctx, w, sources)
		if err != nil {
			return err
		}
		made := modulesOf(append(sources, again...), known, mib.NewTree(s.shipped))
		for _, m := range made[:len(sources)] {
			w.Note(act.Thing{Kind: "module", Name: m.Name}, nil, noted{len(m.Made.Objects), m.File, m.Made.Missing})
		}
		w.Then(s.Load)
		return w.Modules.Put(ctx, made)
	})
	return problems, err
}

// around are the modules that are there: those that are to be made anew, and the others.
func (s *Service) around(ctx context.Context, w *act.Work, sources []smi.Source) (again []smi.Source, known smi.Known, err error) {
	isNew := func(name string) bool {
		return slices.ContainsFunc(sources, func(x smi.Source) bool { return x.Name == name })
	}
	all, err := w.Modules.Made(ctx)
	if err != nil {
		return nil, nil, err
	}
	known = smi.Known{}
	for _, m := range all {
		if !isNew(m.Name) {
			known[m.Name] = m.Made
		}
	}
	lacking, err := w.Modules.Lacking(ctx)
	for _, m := range lacking {
		if read, _ := smi.Read(m.File, []byte(m.Source)); len(read) > 0 && !isNew(m.Name) {
			again = append(again, read[0])
			delete(known, m.Name)
		}
	}
	return again, known, err
}

// lastOfEach leaves of several modules of one name the last.
func lastOfEach(sources []smi.Source) (out []smi.Source) {
	for _, x := range sources {
		out = slices.DeleteFunc(out, func(o smi.Source) bool { return o.Name == x.Name })
		out = append(out, x)
	}
	return out
}

// modulesOf links sources.
func modulesOf(sources []smi.Source, known smi.Known, shipped *mib.Tree) (out []store.Module) {
	now := time.Now().UTC()
	for i, m := range smi.Link(sources, known, shipped) {
		out = append(out, store.Module{Name: m.Name, File: sources[i].File, Source: sources[i].Text, Made: m, LoadedAt: now})
	}
	return out
}

// Remove forgets a module: its objects are shown by their numbers again.
func (s *Service) Remove(ctx context.Context, who access.Actor, name string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.desk.Do(ctx, who, removeModule, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		w.Note(act.Thing{Kind: "module", Name: name}, noted{}, nil)
		w.Then(s.Load)
		return w.Modules.Delete(ctx, name)
	})
}
