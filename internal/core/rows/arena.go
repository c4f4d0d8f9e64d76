package rows

import (
	"encoding/binary"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// Arena holds many rows in little more room than their text takes, for results
// that must be sorted.
type Arena struct {
	sealed []string // sealed blocks
	open   []byte
}

// Ref is where a row lies in an arena.
type Ref struct{ block, at int32 }

const arenaBlock = 256 << 10

// hasFormat marks, beside its kind, a cell that has a form, unsure a date that a calendar
// doesn't know.
const hasFormat, isProvisional = 0x80, 0x40

// isShortText marks a text of so few bytes that their number stands with its kind.
const isShortText = 0x20

// isRounded marks the places of a number that was rounded to them.
const isRounded = 0x80

// IsFirst reports whether a row is the first of its block.
func (p Ref) IsFirst() bool { return p.at == 0 }

// next is where the next row will lie.
func (a *Arena) next() Ref {
	if len(a.open) > arenaBlock {
		a.seal()
	}
	return Ref{int32(len(a.sealed)), int32(len(a.open))}
}

// seal makes a block of the rows that are in none yet.
func (a *Arena) seal() {
	if len(a.open) > 0 {
		a.sealed = append(a.sealed, string(a.open))
		a.open = a.open[:0]
	}
}

// Blocks are runs of the rows, in order, each for LoadNext; the arena takes no more rows.
func (a *Arena) Blocks() []string {
	a.seal()
	a.open = nil
	return a.sealed
}

// saveText keeps a row as it is in its file.
func (a *Arena) saveText(text string) Ref {
	p := a.next()
	b := append(a.open, 0) // instead of one more than its cells
	a.open = append(binary.AppendUvarint(b, uint64(len(text))), text...)
	return p
}

// Save keeps a row.
func (a *Arena) Save(row []eval.Value) Ref {
	p := a.next()
	b := binary.AppendUvarint(a.open, uint64(len(row))+1)
	for _, v := range row {
		if v.Kind == eval.Text && len(v.Text) < isShortText && v.Format == eval.NoFormat && !v.Provisional {
			b = append(append(b, isShortText|byte(len(v.Text))), v.Text...)
			continue
		}
		kind := byte(v.Kind)
		if v.Provisional {
			kind |= isProvisional
		}
		if v.Format == eval.NoFormat {
			b = append(b, kind)
		} else {
			b = binary.AppendUvarint(append(b, kind|hasFormat), uint64(v.Format))
		}
		switch v.Kind {
		case eval.Blank:
		case eval.Text:
			b = append(binary.AppendUvarint(b, uint64(len(v.Text))), v.Text...)
			if v.Format != eval.NoFormat {
				b = binary.AppendVarint(b, v.Num)
			}
		case eval.Date:
			b = binary.AppendVarint(b, int64(v.Day))
		default:
			b = binary.AppendVarint(b, int64(v.Day))
			b = binary.AppendVarint(b, int64(v.Minutes))
			b = append(b, byte(v.Places))
			if v.Rounded {
				b[len(b)-1] |= isRounded
			}
			b = binary.AppendVarint(b, v.Num)
			b = binary.AppendVarint(b, v.Den)
			b = append(binary.AppendUvarint(b, uint64(len(v.Text))), v.Text...)
		}
	}
	a.open = b
	return p
}

// Load reads a row back into room, or its text.
func (a *Arena) Load(p Ref, room []eval.Value) (string, []eval.Value) {
	if int(p.block) == len(a.sealed) {
		a.seal()
		a.open = nil
	}
	_, text, room := LoadNext(a.sealed[p.block][p.at:], room)
	return text, room
}

// LoadNext reads the first row of a block, or its text; rest is what follows it.
func LoadNext(s string, room []eval.Value) (rest, line string, _ []eval.Value) {
	unsigned := func() int {
		n, shift := 0, 0
		for {
			c := s[0]
			s = s[1:]
			n |= int(c&0x7f) << shift
			if shift += 7; c < 0x80 {
				return n
			}
		}
	}
	signed := func() int64 {
		u := uint64(unsigned())
		return int64(u>>1) ^ -int64(u&1)
	}
	text := func() string {
		n := unsigned()
		t := s[:n]
		s = s[n:]
		return t
	}
	room = room[:0]
	n := unsigned()
	if n == 0 {
		line = text()
		return s, line, room
	}
	for range n - 1 {
		kind := s[0]
		if kind&(isShortText|hasFormat|isProvisional) == isShortText {
			n := 1 + int(kind&^isShortText)
			room, s = append(room, eval.Value{Kind: eval.Text, Text: s[1:n]}), s[n:]
			continue
		}
		v := eval.Value{Kind: eval.Kind(kind &^ (hasFormat | isProvisional)), Provisional: kind&isProvisional != 0}
		if s = s[1:]; kind&hasFormat != 0 {
			v.Format = eval.CellFormat(unsigned())
		}
		switch v.Kind {
		case eval.Blank:
		case eval.Text:
			if v.Text = text(); v.Format != eval.NoFormat {
				v.Num = signed()
			}
		case eval.Date:
			v.Day = civil.Date(signed())
		default:
			v.Day, v.Minutes = civil.Date(signed()), int16(signed())
			v.Places, v.Rounded = int8(s[0]&^isRounded), s[0]&isRounded != 0
			s = s[1:]
			v.Num, v.Den = signed(), signed()
			v.Text = text()
		}
		room = append(room, v)
	}
	return s, "", room
}
