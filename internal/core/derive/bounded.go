package derive

import (
	"github.com/antchfx/xmlquery"
	"github.com/antchfx/xpath"
)

// mostMoves bounds how far a path leads through a document: about a tenth of a second.
const mostMoves = 500_000

// bounded is a place in an XML document that can be left only so often: a path that looks at the
// same places again and again must not hold up all collecting.
type bounded struct {
	*xmlquery.NodeNavigator
	moves *int // that are left
}

func newBounded(document *xmlquery.Node) bounded {
	moves := mostMoves
	return bounded{xmlquery.CreateXPathNavigator(document), &moves}
}

func (b bounded) move() {
	if *b.moves--; *b.moves < 0 {
		panic("it takes too long in this text")
	}
}

func (b bounded) Copy() xpath.NodeNavigator {
	b.move()
	n, _ := b.NodeNavigator.Copy().(*xmlquery.NodeNavigator)
	return bounded{n, b.moves}
}

func (b bounded) MoveTo(other xpath.NodeNavigator) bool {
	b.move()
	if o, ok := other.(bounded); ok {
		return b.NodeNavigator.MoveTo(o.NodeNavigator)
	}
	return false
}

func (b bounded) MoveToChild() bool         { b.move(); return b.NodeNavigator.MoveToChild() }
func (b bounded) MoveToNext() bool          { b.move(); return b.NodeNavigator.MoveToNext() }
func (b bounded) MoveToPrevious() bool      { b.move(); return b.NodeNavigator.MoveToPrevious() }
func (b bounded) MoveToParent() bool        { b.move(); return b.NodeNavigator.MoveToParent() }
func (b bounded) MoveToNextAttribute() bool { b.move(); return b.NodeNavigator.MoveToNextAttribute() }

// Value costs more: it is put together anew of all that is below.
func (b bounded) Value() string {
	text := b.NodeNavigator.Value()
	*b.moves -= 50 + len(text)/100
	b.move()
	return text
}
