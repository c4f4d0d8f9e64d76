package tabular

import (
	"bytes"
	"io"

	"yoyaku/internal/core/language"
)

// maxHalfBytes is more than the bytes of any word for a half, firstOfHalf the bytes that one begins
// with, cellEnds those behind a cell.
const maxHalfBytes = 18

var firstOfHalf, cellEnds = func() (first, ends [256]bool) {
	for _, c := range []byte("amvorfpnteh(0") {
		first[c] = true
		if c >= 'a' && c <= 'z' {
			first[c-'a'+'A'] = true
		}
	}
	for _, c := range []byte(",;\t\r\n\"|<") {
		ends[c] = true
	}
	return first, ends
}()

// maxOverlap is more than the bytes of what tells of half a day, from the digit before it on.
const maxOverlap = 32

// MayHoldHalves reports whether a text may hold dates with a half of a day or a time of 12:00. It
// looks at bytes alone, so that a table without any costs little more than its reading; what isn't
// plain text may always hold some.
func MayHoldHalves(in io.Reader) (bool, error) {
	buf := make([]byte, 256<<10)
	kept := 0
	for {
		n, err := io.ReadFull(in, buf[kept:])
		text := buf[:kept+n]
		if kept == 0 && (bytes.HasPrefix(text, []byte("PK")) || bytes.IndexByte(text[:min(len(text), 64)], 0) >= 0 ||
			bytes.HasPrefix(text, []byte("\xff\xfe")) || bytes.HasPrefix(text, []byte("\xfe\xff"))) {
			return true, nil
		}
		if hasHalfMark(text) {
			return true, nil
		}
		if err == io.EOF || err == io.ErrUnexpectedEOF {
			return false, nil
		}
		if err != nil {
			return false, err
		}
		kept = copy(buf, text[len(text)-maxOverlap:])
	}
}

// hasHalfMark finds ½, 12:00, and words for halves that stand behind a blank.
func hasHalfMark(text []byte) bool {
	if bytes.IndexByte(text, 0xbd) >= 0 || bytes.IndexByte(text, '\\') >= 0 {
		return true
	}
	for rest := text; ; {
		i := bytes.IndexByte(rest, ':')
		if i < 0 {
			break
		}
		if bytes.HasSuffix(rest[:i], []byte("12")) && bytes.HasPrefix(rest[i+1:], []byte("00")) {
			return true
		}
		rest = rest[i+1:]
	}
	for at := 0; ; {
		i := bytes.IndexByte(text[at:], ' ')
		if i < 0 || at+i+1 == len(text) {
			return false
		}
		if at += i + 1; !firstOfHalf[text[at]] {
			continue
		}
		end := at + 1
		for end < len(text) && !cellEnds[text[end]] && end-at <= maxHalfBytes {
			end++
		}
		if end-at <= maxHalfBytes && language.HalfOfWord(string(text[at:end])) != language.WholeDay {
			return true
		}
	}
}
