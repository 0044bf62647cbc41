// Package why holds explanations as data: every decision of the core returns
// its result together with the Trace of facts that led to it.
package why

// Ref points at the source of a fact, such as a device, a series or a rule.
type Ref struct {
	Kind string `json:"kind"`
	ID   int64  `json:"id"`
}

// To returns a reference to the thing of the given kind and id.
func To(kind string, id int64) *Ref { return &Ref{Kind: kind, ID: id} }

// Fact is one link in the chain of evidence.
type Fact struct {
	// Text states the fact in one plain sentence.
	Text string `json:"text"`
	// Detail adds figures and origin, and may be empty.
	Detail string `json:"detail,omitempty"`
	// Ref leads to the source; nil where there is none to open.
	Ref *Ref `json:"ref,omitempty"`
	// Facts support this one.
	Facts []Fact `json:"facts,omitempty"`
}

// Trace explains one decision: the question, its answer and the facts in
// the order in which they were considered.
type Trace struct {
	Question string `json:"question"`
	Answer   string `json:"answer"`
	Facts    []Fact `json:"facts,omitempty"`
}

// Refs are the ids of all things of a kind that the facts refer to.
func (t Trace) Refs(kind string) (out []int64) {
	var walk func([]Fact)
	walk = func(facts []Fact) {
		for _, f := range facts {
			if f.Ref != nil && f.Ref.Kind == kind {
				out = append(out, f.Ref.ID)
			}
			walk(f.Facts)
		}
	}
	walk(t.Facts)
	return out
}

// Unseen is what a fact says in the place of what may not be told.
const Unseen = "This is about something that you may not see"

// Without is the trace without what it says of those things of a kind that are not
// seen: that there is such a fact is still told.
func (t Trace) Without(kind string, seen func(id int64) bool) Trace {
	t.Facts = without(t.Facts, kind, seen)
	return t
}

func without(facts []Fact, kind string, seen func(id int64) bool) []Fact {
	out := make([]Fact, len(facts))
	for i, f := range facts {
		if f.Ref != nil && f.Ref.Kind == kind && !seen(f.Ref.ID) {
			f.Text, f.Detail, f.Ref = Unseen, "", nil
		}
		if len(f.Facts) > 0 {
			f.Facts = without(f.Facts, kind, seen)
		}
		out[i] = f
	}
	return out
}

// Because appends a fact and returns the trace, so that calls can be chained.
func (t *Trace) Because(text, detail string, ref *Ref) *Trace {
	t.Facts = append(t.Facts, Fact{Text: text, Detail: detail, Ref: ref})
	return t
}

// Include appends all facts of another trace under one heading.
func (t *Trace) Include(heading string, other Trace) *Trace {
	t.Facts = append(t.Facts, Fact{Text: heading, Detail: other.Answer, Facts: other.Facts})
	return t
}
