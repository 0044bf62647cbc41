package find

import (
	"io"
	"net/http"
	"strings"

	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
)

// TablePath takes larger requests than others: tables.
const TablePath = "/find/ranges"

// MaxTable is how much may be sent there, in bytes.
const MaxTable = ranges.MaxTable + 1<<20

// table takes addresses out of a table, and puts them behind those that are typed already.
func (s Screen) table(w http.ResponseWriter, r *http.Request) error {
	v := formView{page: page{"form"}, Errors: domain.FieldErrors{}}
	v.Draft.Ranges = strings.TrimSpace(r.PostFormValue("ranges"))
	file, _, err := r.FormFile("table")
	if err != nil {
		return s.Render.Fragment(w, http.StatusOK, "find", "ranges-field", v)
	}
	defer file.Close()
	data, err := io.ReadAll(io.LimitReader(file, ranges.MaxTable+1))
	if err != nil {
		return err
	}
	found, wrong := ranges.FromTable(data)
	if len(wrong) > 0 {
		v.Errors["ranges"] = "Of the table: " + strings.Join(wrong, "; ")
	}
	if len(found) > 0 {
		v.Draft.Ranges = strings.TrimSpace(v.Draft.Ranges + "\n" + strings.Join(found, "\n"))
	}
	v.Taken = text.Count(int64(len(found)), "address or range", "addresses and ranges") + " taken out of the table."
	return s.Render.Fragment(w, http.StatusOK, "find", "ranges-field", v)
}
