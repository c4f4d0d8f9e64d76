package eval

import "strings"

// Keeper makes texts of bytes, many in one piece of memory.
type Keeper struct {
	b    strings.Builder
	room []byte
}

// Room is where bytes may be appended that Keep then takes.
func (k *Keeper) Room() []byte { return k.room[:0] }

// Keep makes a text.
func (k *Keeper) Keep(text []byte) string {
	const piece = 32 << 10
	if k.room = text; k.b.Cap()-k.b.Len() < len(text) {
		k.b = strings.Builder{} // the texts so far keep the one before
		k.b.Grow(max(piece, len(text)))
	}
	at := k.b.Len()
	k.b.Write(text)
	return k.b.String()[at:]
}
