package ranges

import "strings"

// Any is how all addresses are written.
const Any = "any"

// ReadBut reads what may be: ranges, or “any”, and after the word “but” what is left out of
// them. Anything malformed is refused with an *Error.
func ReadBut(text string) (Set, error) {
	words := " " + strings.ToLower(strings.Join(strings.Fields(text), " ")) + " "
	wanted, left, _ := strings.Cut(words, " but ")
	if strings.TrimSpace(wanted) == Any {
		wanted = "0.0.0.0/0, ::/0"
	}
	in, err := Read(wanted)
	if err != nil {
		return Set{}, err
	}
	out, err := Read(left)
	if err != nil {
		return Set{}, err
	}
	return in.Without(out), nil
}
