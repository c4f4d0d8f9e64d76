package tabular

import (
	"archive/zip"
	"bytes"
	"io"
	"strings"

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
// plain text or a workbook may always hold some.
func MayHoldHalves(in io.ReaderAt, size int64) (bool, error) {
	if book, err := zip.NewReader(in, size); err == nil {
		for _, part := range book.File {
			if !strings.HasPrefix(part.Name, "xl/worksheets/") && part.Name != "xl/sharedStrings.xml" {
				continue
			}
			r, err := part.Open()
			if err != nil {
				return true, nil // which the reading tells
			}
			found, err := scanForHalves(r, true)
			r.Close()
			if found || err != nil {
				return true, nil
			}
		}
		return false, nil
	}
	return scanForHalves(io.NewSectionReader(in, 0, size), false)
}

// scanForHalves looks through a text, or a part of a workbook, where noon is half a day number.
func scanForHalves(in io.Reader, ofBook bool) (bool, error) {
	buf := make([]byte, 256<<10)
	kept := 0
	for {
		n, err := io.ReadFull(in, buf[kept:])
		text := buf[:kept+n]
		if kept == 0 && (bytes.HasPrefix(text, []byte("PK")) || bytes.IndexByte(text[:min(len(text), 64)], 0) >= 0 ||
			bytes.HasPrefix(text, []byte("\xff\xfe")) || bytes.HasPrefix(text, []byte("\xfe\xff"))) {
			return true, nil
		}
		if hasHalfMark(text) || ofBook && hasNoonNumber(text) || !ofBook && bytes.IndexByte(text, '\\') >= 0 {
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

// noonNumber ends the number of a day, of five digits from 1927 on, with half a day.
var noonNumber = []byte(".5<")

// hasNoonNumber finds a number that may be noon of a day, or a sign that is written by its number.
func hasNoonNumber(text []byte) bool {
	if bytes.Contains(text, []byte("&#")) {
		return true
	}
	for at := 0; ; at++ {
		i := bytes.Index(text[at:], noonNumber)
		if i < 0 {
			return false
		}
		if at += i; at > 5 && text[at-6] == '>' && text[at-5] > '0' && text[at-5] <= '9' {
			return true
		}
	}
}

// hasHalfMark finds ½, 12:00, and words for halves that stand behind a blank.
func hasHalfMark(text []byte) bool {
	if bytes.IndexByte(text, 0xbd) >= 0 {
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
