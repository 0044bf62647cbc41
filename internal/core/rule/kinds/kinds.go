// Package kinds lists the kinds of rules: one line each.
package kinds

import (
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/core/rule/state"
)

// All are all kinds of rules.
var All = rule.Kinds{
	limit.Kind,
	state.Kind,
}
