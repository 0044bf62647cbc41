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
