package eval

import "strings"

// TextArena makes texts of bytes, many in one piece of memory.
type TextArena struct {
	b   strings.Builder
	buf []byte
}

// Buffer returns a slice to append bytes to, which Store then takes.
func (k *TextArena) Buffer() []byte { return k.buf[:0] }

// Store makes a text.
func (k *TextArena) Store(text []byte) string {
	const piece = 32 << 10
	if k.buf = text; k.b.Cap()-k.b.Len() < len(text) {
		k.b = strings.Builder{} // the texts so far keep the one before
		k.b.Grow(max(piece, len(text)))
	}
	at := k.b.Len()
	k.b.Write(text)
	return k.b.String()[at:]
}
