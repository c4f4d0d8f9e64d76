package plan

import (
	"errors"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/rows"
)

// Pos is a place in a document. It keeps nothing of what is there, so that a plan that
// was read is no more than what it says.
type Pos struct {
	doc          *doc
	line, column int32
}

func (d *doc) pos(n ast.Node) Pos {
	line, column := d.position(n)
	return Pos{d, int32(line), int32(column)}
}

func (s Pos) wrap(err error) error {
	if s.doc == nil || err == nil {
		return err
	}
	return s.doc.wrapAt(int(s.line), int(s.column), err)
}

// keyPositions are the places of what an entry says, by path; "" is the entry itself.
type keyPositions map[string]Pos

// WrapKey puts the place of a key around an error, or that of the whole entry.
func (p keyPositions) WrapKey(key string, err error) error {
	if pos, ok := p[key]; ok {
		return pos.wrap(err)
	}
	return p[""].wrap(err)
}

// wrapOption puts the place of the option that an error names around it.
func (p keyPositions) wrapOption(err error) error {
	var option *rows.OptionError
	if errors.As(err, &option) {
		return p.WrapKey(option.Option, err)
	}
	return p.WrapKey("", err)
}
