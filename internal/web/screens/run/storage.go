package run

import (
	"cmp"
	"net/http"
	"slices"
	"strings"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

type storageView struct {
	Show      string
	By        string
	Q         string
	Groups    []string
	Rows      []usageRow
	Sum       usageRow
	PerSample float64 // bytes
	Percent   float64 // that was looked at
	run.Storage
	Keep domain.KeepDays // the setting for all
	May  domain.Access
	ui.Sorting
	ui.Paging
}

// Bar narrows the list.
func (v storageView) Bar() ui.FilterBar {
	return ui.FilterBar{
		Path: storagePath, Target: "usage", Sort: v.Sort, Search: v.Q,
		Placeholder: "Name", Label: "Filter by name",
		Hidden: []ui.Pair{{A: "by", B: v.By}},
	}
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

func (r *usageRow) add(u run.Usage, perSample float64) {
	r.Series += int64(u.Series)
	r.PerDay += int64(u.PerDay)
	r.Used += u.Bytes
	if u.PerSample > 0 {
		perSample = u.PerSample
	}
	r.Month += u.PerDay * 30 * perSample
}

const usagePage = 100

// storage shows who fills the disk, and how fast.
func (s Screen) storage(w http.ResponseWriter, r *http.Request) error {
	ctx, q := r.Context(), r.URL.Query()
	v := storageView{Show: "storage", By: q.Get("by"), Q: q.Get("q"), Groups: []string{"kit", "reading", "place", "device"},
		PerSample: s.Kits.BytesPerSample(
			ctx,
		), Keep: s.Run.Usual(), May: may(r), Sorting: ui.Sorting{Path: storagePath, Query: q, Sort: cmp.Or(q.Get("sort"), "-used")}}
	if !slices.Contains(v.Groups, v.By) {
		v.By = v.Groups[0]
	}
	stored, err := s.Run.Storage(ctx, middleware.Who(ctx))
	if err != nil {
		return err
	}
	v.Storage, v.Percent = stored, stored.Share*100
	v.group()
	v.sort()
	v.Rows, v.Paging = ui.SlicePage(storagePath, q, usagePage, v.Rows)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "run", "usage", v)
	}
	return s.Render.Page(w, r, "run", render.Frame{Title: "Storage", Area: domain.AreaRun, Tab: storagePath, Body: v})
}

func (v *storageView) group() {
	rows := map[string]*usageRow{}
	for _, u := range v.Usage {
		row := usageRow{Name: u.Kit, URL: "/collect/values?kit=" + u.Kit}
		switch v.By {
		case "reading":
			key := domain.ReadingKey{Kit: u.Kit, Reading: u.Reading}
			row = usageRow{Name: u.Kit + " / " + u.Reading, URL: "/collect/values?kit=" + u.Kit + "&reading=" + u.Reading,
				Keep: keepForm{Key: key, Fields: kept(u.Kind, v.Keeps[key], v.Keep), Unsettled: v.Unsettled[key], May: v.May}}
		case "place":
			row = usageRow{Name: v.Storage.Places[u.PlaceID], URL: "/devices?q=" + v.Storage.Places[u.PlaceID]}
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
