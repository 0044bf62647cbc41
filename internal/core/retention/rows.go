package retention

import (
	"fmt"
	"strconv"
	"strings"
)

// RowDays is for how many days rows are kept of which a device no longer tells, where nobody says
// otherwise; MostRowDays is the most that may be said.
const (
	RowDays     = 30
	MostRowDays = 3650
)

// ReadDays reads a number of days as people type it.
func ReadDays(typed string) (int, error) {
	days, err := strconv.Atoi(strings.TrimSpace(typed))
	if err != nil || days < 1 || days > MostRowDays {
		return 0, fmt.Errorf("must be a number of days from 1 to %d", MostRowDays)
	}
	return days, nil
}
