package plan

import (
	"errors"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/rows"
)

// Spot is a place in a document. It keeps nothing of what is there, so that a plan that
// was read is no more than what it says.
type Spot struct {
	doc          *doc
	line, column int32
}

func (d *doc) spot(n ast.Node) Spot {
	line, column := d.at(n)
	return Spot{d, int32(line), int32(column)}
}

func (s Spot) wrap(err error) error {
	if s.doc == nil || err == nil {
		return err
	}
	return s.doc.placed(int(s.line), int(s.column), err)
}

// places are the places of what an entry says, by path; "" is the entry itself.
type places map[string]Spot

// Place puts the place of a key around an error, or that of the whole entry.
func (p places) Place(key string, err error) error {
	if at, ok := p[key]; ok {
		return at.wrap(err)
	}
	return p[""].wrap(err)
}

// fault puts the place of the option that an error names around it.
func (p places) fault(err error) error {
	var at *rows.OptionError
	if errors.As(err, &at) {
		return p.Place(at.Option, err)
	}
	return p.Place("", err)
}
