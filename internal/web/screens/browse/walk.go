package browse

import (
	"maps"
	"net/http"
	"net/url"
	"slices"

	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/browse"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// The first piece of a walk is small, so that something is seen soon. After so many variables a
// walk goes on only when it is told to.
const (
	firstPiece = 50
	nextPiece  = 500
	mostByHand = 5000
)

// walkView is a piece of a walk, with how it goes on.
type walkView struct {
	Device domain.ID
	Under  string
	browse.Piece
	Seen    int // with the pieces before
	Begun   bool
	Stopped bool
	May     domain.Access
}

// Goes tells whether the next piece follows by itself.
func (v walkView) Goes() bool {
	return v.Next != "" && v.Problem == "" && !v.Stopped && v.Seen%mostByHand >= len(v.Lines)
}

// Said says how far the walk is.
func (v walkView) Said() string {
	n := text.Count(int64(v.Seen), "value")
	switch {
	case v.Problem != "":
		return n + " until then"
	case v.Goes():
		return n + ", going on …"
	case v.Next != "" || v.Stopped:
		return "Stopped after " + n
	case v.Seen == 0:
		return "The device tells nothing below this object"
	}
	return "That is all: " + n
}

// PickURL is where a line is picked.
func (v walkView) PickURL(l browse.Line) string { return pickURL(v.Device, l.OID) }

// ObjectURL is the page of the object of a line.
func (v walkView) ObjectURL(l browse.Line) string { return objectURL(v.Device, l.OID) }

// Took is how long the piece took.
func (v walkView) Took() string { return units.Format(v.Piece.Took.Seconds(), "s") }

type walked struct {
	Under string `form:"under"`
	After string `form:"after"`
	Seen  int    `form:"seen"`
	Stop  bool   `form:"stop"`
}

func (s Screen) walk(w http.ResponseWriter, r *http.Request) error {
	var in walked
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	v := walkView{Device: id, Under: in.Under, Seen: max(0, in.Seen), Begun: in.After == "", Stopped: in.Stop}
	who := middleware.Who(r.Context())
	d, _, err := s.Devices.Draft(r.Context(), who, id)
	if err != nil {
		return err
	}
	v.May = who.Level(area, domain.Spot{Place: d.PlaceID, Device: id})
	under, after, err := walkFrom(in)
	switch {
	case err != nil:
		v.Problem = text.UpperFirst(err.Error())
	case in.Stop:
		v.Next = in.After
	default:
		most := nextPiece
		if after == nil {
			most = firstPiece
		}
		if v.Piece, err = s.Browse.Walk(r.Context(), who, id, under, after, most); err != nil {
			return err
		}
		v.Seen += len(v.Lines)
	}
	return s.Render.Fragment(w, http.StatusOK, "browse", "walked", v)
}

func walkFrom(in walked) (under, after mib.OID, err error) {
	if under, err = mib.ParseOID(in.Under); err != nil || in.After == "" {
		return under, nil, err
	}
	after, err = mib.ParseOID(in.After)
	return under, after, err
}

func sortedWords(words map[int64]string) []int64 { return slices.Sorted(maps.Keys(words)) }

func queried(text string) string { return url.QueryEscape(text) }
