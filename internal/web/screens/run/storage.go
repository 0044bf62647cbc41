package run

import (
	"cmp"
	"net/http"
	"slices"
	"strings"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

type storageView struct {
	Show      string
	Drill     bool
	By        string
	Q         string
	Groups    []string
	Rows      []usageRow
	Sum       usageRow
	PerSample float64 // bytes
	Share     float64 // percent that was looked at
	Storage   store.Storage
	Keep      store.KeepDays // the setting for all
	May       domain.Access
	unsettled map[store.ReadingKey]bool
	ui.Sorting
	ui.Paging
}

// usageRow is what the samples of one kit, reading, place or device take.
type usageRow struct {
	Name   string
	URL    string
	Series int64
	PerDay int64   // samples
	Used   float64 // bytes
	Month  float64 // bytes that a month will bring
	Keep   keepForm
}

func (r *usageRow) add(u store.Usage, perSample float64) {
	r.Series += int64(u.Series)
	r.PerDay += int64(u.PerDay)
	r.Used += u.Bytes
	if u.PerSample > 0 {
		perSample = u.PerSample
	}
	r.Month += u.PerDay * 30 * perSample
}

const storagePage = 100

// storage shows who fills the disk, and how fast.
func (s Screen) storage(w http.ResponseWriter, r *http.Request) error {
	ctx, q := r.Context(), r.URL.Query()
	v := storageView{Show: "storage", Drill: s.Drill != nil, By: q.Get("by"), Q: q.Get("q"), Groups: []string{"kit", "reading", "place", "device"},
		PerSample: s.Kits.BytesPerSample(ctx), Keep: s.Keep, May: middleware.Who(ctx).Level, Sorting: ui.Sorting{Path: "/run/storage", Query: q, Sort: cmp.Or(q.Get("sort"), "-used")}}
	if !slices.Contains(v.Groups, v.By) {
		v.By = v.Groups[0]
	}
	usage, share, err := s.Watch.Usage(ctx)
	if err != nil {
		return err
	}
	places, err := s.Store.Places.All(ctx)
	if err != nil {
		return err
	}
	if v.Storage, err = s.Store.Sizes.Tables(ctx); err != nil {
		return err
	}
	keeps, err := s.Store.Keeps.All(ctx)
	if err != nil {
		return err
	}
	if v.unsettled, err = s.Store.Keeps.Unsettled(ctx); err != nil {
		return err
	}
	v.Share = share * 100
	v.group(usage, places, keeps)
	v.sort()
	v.Rows, v.Paging = ui.SlicePage("/run/storage", q, storagePage, v.Rows)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "run", "usage", v)
	}
	return s.Render.Page(w, r, "run", render.Frame{Title: "Storage", Area: "run", Body: v})
}

func (v *storageView) group(usage []store.Usage, places []domain.Place, keeps map[store.ReadingKey]store.KeepDays) {
	names := map[domain.ID]string{}
	for _, p := range places {
		names[p.ID] = p.Name
	}
	rows := map[string]*usageRow{}
	for _, u := range usage {
		row := usageRow{Name: u.Kit, URL: "/collect/latest?kit=" + u.Kit}
		switch v.By {
		case "reading":
			key := store.ReadingKey{Kit: u.Kit, Reading: u.Reading}
			row = usageRow{Name: u.Kit + " / " + u.Reading, URL: "/collect/latest?kit=" + u.Kit + "&reading=" + u.Reading,
				Keep: keepForm{Key: key, Fields: kept(u.Kind, keeps[key], v.Keep), Unsettled: v.unsettled[key], May: v.May}}
		case "place":
			row = usageRow{Name: names[u.PlaceID], URL: "/devices?q=" + names[u.PlaceID]}
		case "device":
			row = usageRow{Name: u.Device, URL: deviceURL(u.DeviceID)}
		}
		if !strings.Contains(strings.ToLower(row.Name), strings.ToLower(strings.TrimSpace(v.Q))) {
			continue
		}
		if rows[row.Name] == nil {
			rows[row.Name] = &row
		}
		rows[row.Name].add(u, v.PerSample)
		v.Sum.add(u, v.PerSample)
	}
	for _, row := range rows {
		v.Rows = append(v.Rows, *row)
	}
}

func (v *storageView) sort() {
	column, down := strings.CutPrefix(v.Sort, "-")
	slices.SortFunc(v.Rows, func(a, b usageRow) int {
		c := cmp.Compare(a.Used, b.Used)
		switch column {
		case "name":
			c = cmp.Compare(a.Name, b.Name)
		case "series":
			c = cmp.Compare(a.Series, b.Series)
		case "samples":
			c = cmp.Compare(a.PerDay, b.PerDay)
		case "month":
			c = cmp.Compare(a.Month, b.Month)
		}
		if down {
			c = -c
		}
		return cmp.Or(c, cmp.Compare(a.Name, b.Name))
	})
}
