// Package domain holds the things the product is about as plain values.
package domain

import "fmt"

// Level says how serious trouble is. Levels are ordered: a higher one is worse.
type Level int

// The levels of trouble; LevelNone means no trouble.
const (
	LevelNone Level = iota
	LevelNotice
	LevelWarning
	LevelCritical
)

var levelNames = [...]string{"fine", "notice", "warning", "critical"}

// String returns the level's word.
func (l Level) String() string {
	if l < LevelNone || l > LevelCritical {
		return fmt.Sprintf("level %d", int(l))
	}
	return levelNames[l]
}

// ParseLevel is the inverse of String. It fails for an unknown word.
func ParseLevel(word string) (Level, error) {
	for i, name := range levelNames {
		if name == word {
			return Level(i), nil
		}
	}
	return LevelNone, fmt.Errorf("%q is not a level: use fine, notice, warning or critical", word)
}

// Syslog returns the severity number of RFC 5424 section 6.2.1:
// 6 informational, 5 notice, 4 warning, 2 critical.
func (l Level) Syslog() int { return [...]int{6, 5, 4, 2}[l] }

// Health is the state of a device, part or place.
type Health string

// The states of health.
const (
	Fine        Health = "fine"
	Notice      Health = "notice"
	Warning     Health = "warning"
	Critical    Health = "critical"
	Unreachable Health = "unreachable"
	Unknown     Health = "unknown"
	Paused      Health = "paused"
	Maintenance Health = "maintenance"
)

// HealthOf returns the health that trouble of the given level means.
func HealthOf(l Level) Health { return Health(l.String()) }

// Badness orders health for "worst first": 0 for fine up to 7 for critical.
func (h Health) Badness() int {
	switch h {
	case Critical:
		return 7
	case Warning:
		return 6
	case Unreachable:
		return 5
	case Notice:
		return 4
	case Unknown:
		return 3
	case Maintenance:
		return 2
	case Paused:
		return 1
	}
	return 0
}

// Worse returns the worse of two states of health.
func Worse(a, b Health) Health {
	switch { // most of an estate is fine: no look-up for that
	case a == b, b == Fine:
		return a
	case a == Fine:
		return b
	}
	if b.Badness() > a.Badness() {
		return b
	}
	return a
}

// AllHealth lists every state, worst first.
func AllHealth() []Health {
	return []Health{Critical, Warning, Unreachable, Notice, Unknown, Maintenance, Paused, Fine}
}
