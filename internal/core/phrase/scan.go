package phrase

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
)

// Span is a place in a phrase: byte offsets, End not included.
type Span struct{ Start, End int }

// Pos returns the span; every node embeds one.
func (s Span) Pos() Span { return s }

func (s Span) extendTo(e Span) Span { return Span{s.Start, e.End} }

type tokenKind uint8

const (
	tEnd       tokenKind = iota
	tWord                // a bare word, lower case in word
	tNumber              // 15, 2.5
	tOrdinal             // 1st, 2nd
	tDate                // 2027-03-31
	tTime                // 16:30
	tText                // 'text'
	tQuoted              // "a name"
	tSign                // punctuation
	tRaw                 // the text of an RFC 5545 rule
	tStretch             // 2027-07-01..2027-08-15
	tSeriesRef           // series.milestone
)

type token struct {
	Span
	kind   tokenKind
	word   string // what it says: lower case, quotes resolved
	series string // the series of a milestone
	num    int    // number, ordinal, minutes of a time
	date   civil.Date
}

type scanner struct {
	text string
	pos  int
	toks []token
}

// scan splits a phrase into tokens; it always ends them with tEnd.
func scan(text string) (toks []token, err error) {
	s := &scanner{text: text}
	defer func() { recoverError(recover(), text, &err) }()
	for s.next() {
		if n := len(s.toks); n == 1 && s.toks[0].kind == tWord && s.toks[0].word == "rrule" {
			s.rawRRule()
		}
	}
	s.add(tEnd, len(text), "")
	return s.toks, nil
}

func (s *scanner) add(k tokenKind, end int, word string) *token {
	s.toks = append(s.toks, token{Span: Span{s.pos, end}, kind: k, word: word})
	s.pos = end
	return &s.toks[len(s.toks)-1]
}

func (s *scanner) peek(at int) rune {
	r, _ := utf8.DecodeRuneInString(s.text[min(at, len(s.text)):])
	return r
}

func (s *scanner) skipSpace() {
	for s.pos < len(s.text) {
		r, n := utf8.DecodeRuneInString(s.text[s.pos:])
		if !unicode.IsSpace(r) {
			return
		}
		s.pos += n
	}
}

func (s *scanner) rawRRule() {
	s.skipSpace()
	end := s.pos
	for end < len(s.text) {
		r, n := utf8.DecodeRuneInString(s.text[end:])
		if unicode.IsSpace(r) {
			break
		}
		end += n
	}
	if end > s.pos {
		s.add(tRaw, end, s.text[s.pos:end])
	}
}

func wordRune(r rune) bool {
	return r == '_' || r != utf8.RuneError && (unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r))
}

// wordEnd finds the end of a run of letters, digits, _ and inner hyphens.
func (s *scanner) wordEnd(end int) int {
	for end < len(s.text) {
		r, n := utf8.DecodeRuneInString(s.text[end:])
		if !wordRune(r) && !(r == '-' && wordRune(s.peek(end+1)) && s.peek(end+1) != '_') {
			break
		}
		end += n
	}
	return end
}

func (s *scanner) next() bool {
	s.skipSpace()
	if s.pos >= len(s.text) {
		return false
	}
	c := s.text[s.pos]
	switch {
	case s.stretch():
	case c >= '0' && c <= '9':
		s.number()
	case c == '\'' || c == '"':
		s.quoted(c)
	case strings.IndexByte("+-*/^(),=<>!&", c) >= 0:
		end := s.pos + 1
		if end < len(s.text) && s.text[end] == '=' && (c == '<' || c == '>' || c == '!') {
			end++
		}
		s.add(tSign, end, s.text[s.pos:end])
	case unicode.IsLetter(s.peek(s.pos)):
		end := s.wordEnd(s.pos)
		s.add(tWord, end, strings.ToLower(s.text[s.pos:end]))
		s.seriesRef()
	default:
		n := utf8.RuneLen(s.peek(s.pos))
		if n < 1 || s.peek(s.pos) == utf8.RuneError {
			n = 1
		}
		failAt(Span{s.pos, s.pos + n}, "this character has no meaning in a phrase",
			`put names with other characters in double quotes, texts in single quotes`)
	}
	return true
}

// stretch reads A..B, each end a date or the name of a period, if one begins here.
func (s *scanner) stretch() bool {
	side := func(at int) int {
		end := at
		for end < len(s.text) && (s.text[end] == '-' || s.text[end] < utf8.RuneSelf && wordRune(rune(s.text[end]))) {
			end++
		}
		return end
	}
	space := func(at int) int { return len(s.text) - len(strings.TrimLeftFunc(s.text[at:], unicode.IsSpace)) }
	end := side(s.pos)
	dots := space(end)
	if end == s.pos || !strings.HasPrefix(s.text[dots:], "..") {
		return false
	}
	from := space(dots + 2)
	to := side(from)
	if to == from {
		failAt(Span{s.pos, dots + 2}, "a range needs both a start and an end", "for example: 2027-07-01..2027-08-15")
	}
	ends := [2]string{strings.ToUpper(s.text[s.pos:end]), strings.ToUpper(s.text[from:to])}
	for i, e := range ends {
		if d, _, ok := civil.Parse(e); ok {
			ends[i] = d.String()
		} else if _, ok := civil.DefaultFiscalCalendar.ParseSpan(e); !ok {
			span := [2]Span{{s.pos, end}, {from, to}}[i]
			failAt(span, "neither a date nor a period: "+s.text[span.Start:span.End],
				"each end of a range is a date or a period: 2027-07-01, 2027-07, 2027-Q3, FY2027")
		}
	}
	s.add(tStretch, to, ends[0]+".."+ends[1])
	return true
}

func (s *scanner) quoted(q byte) {
	var b strings.Builder
	for i := s.pos + 1; i < len(s.text); i++ {
		if s.text[i] != q {
			b.WriteByte(s.text[i])
			continue
		}
		if i+1 < len(s.text) && s.text[i+1] == q {
			b.WriteByte(q)
			i++
			continue
		}
		if q == '"' {
			if b.Len() == 0 {
				failAt(Span{s.pos, i + 1}, "an empty name", "")
			}
			s.add(tQuoted, i+1, b.String())
			s.seriesRef()
		} else {
			s.add(tText, i+1, b.String())
		}
		return
	}
	failAt(Span{s.pos, len(s.text)}, "this quote is never closed", "close it with "+string(q))
}

// seriesRef reads the milestone behind the name of a series, with a point and no blank between.
func (s *scanner) seriesRef() {
	if s.pos+1 >= len(s.text) || s.text[s.pos] != '.' || s.text[s.pos+1] != '"' && !unicode.IsLetter(s.peek(s.pos+1)) {
		return
	}
	series := &s.toks[len(s.toks)-1]
	if series.kind == tSeriesRef {
		failAt(Span{series.Start, s.pos + 1}, "a series and its milestone have one point between them",
			"put a name with a point in double quotes")
	}
	name := series.word
	if series.kind == tWord {
		name = s.text[series.Start:series.End]
	}
	if s.pos++; s.text[s.pos] == '"' {
		s.quoted('"')
	} else {
		end := s.wordEnd(s.pos)
		s.add(tWord, end, s.text[s.pos:end])
	}
	n := len(s.toks)
	what := s.toks[n-1]
	s.toks = s.toks[:n-1]
	s.toks[n-2] = token{Span: s.toks[n-2].extendTo(what.Span), kind: tSeriesRef, word: what.word, series: name}
}

func (s *scanner) number() {
	digits := func(at int) int {
		for at < len(s.text) && s.text[at] >= '0' && s.text[at] <= '9' {
			at++
		}
		return at
	}
	for _, n := range []int{10, 8} { // an ISO date, if it ends there
		end := s.pos + n
		if end > len(s.text) || wordRune(s.peek(end)) || s.peek(end) == '-' && wordRune(s.peek(end+1)) {
			continue
		}
		if d, shape, ok := civil.Parse(s.text[s.pos:end]); shape {
			if !ok {
				failAt(Span{s.pos, end}, "no such date: "+s.text[s.pos:end], "")
			}
			s.add(tDate, end, s.text[s.pos:end]).date = d
			return
		}
	}
	end := digits(s.pos)
	if end-s.pos == 4 && end < len(s.text) && s.text[end] == '-' && digits(end+1) > end+1 {
		stop := s.wordEnd(end)
		failAt(Span{s.pos, stop}, "not a date: "+s.text[s.pos:stop], "write dates as 2027-03-31, 2027-W13-3 or 2027-090")
	}
	if sep := s.peek(end); sep == '.' || sep == '/' || sep == '-' { // 31.3.2027, 3/31/2027, 12-31-2027
		mid := digits(end + 1)
		if stop := digits(mid + 1); mid > end+1 && s.peek(mid) == sep && stop > mid+1 && (sep != '-' || stop-mid == 5) {
			failAt(Span{s.pos, stop}, "not a date: "+s.text[s.pos:stop], "write dates as 2027-03-31, which nobody can misread")
		}
	}
	n, fits := toInt(s.text[s.pos:end])
	switch r := s.peek(end); {
	case r == ':' && digits(end+1) > end+1:
		stop := digits(end + 1)
		text := s.text[s.pos:stop]
		if end-s.pos == 1 { // 9:00
			text = "0" + text
		}
		minutes, ok := civil.ParseClock(text)
		if !ok {
			failAt(Span{s.pos, stop}, "not a time: "+s.text[s.pos:stop], "write times as 09:00, from 00:00 to 23:59")
		}
		s.add(tTime, stop, s.text[s.pos:stop]).num = minutes
	case r == '.' && digits(end+1) > end+1:
		stop := digits(end + 1)
		s.add(tNumber, stop, s.text[s.pos:stop]).num = -1
	case unicode.IsLetter(r):
		s.numberedWord(end, n)
	default:
		if !fits {
			failAt(Span{s.pos, end}, "this number is too large", "")
		}
		s.add(tNumber, end, s.text[s.pos:end]).num = n
	}
}

// numberedWord reads a number n that ends in front of letters.
func (s *scanner) numberedWord(end, n int) {
	stop := end
	for stop < len(s.text) && wordRune(s.peek(stop)) {
		stop += utf8.RuneLen(s.peek(stop))
	}
	word := strings.ToLower(s.text[s.pos:stop])
	switch word[end-s.pos:] {
	case "st", "nd", "rd", "th":
		s.add(tOrdinal, stop, word).num = n
	default:
		if _, unit := units[singular(word[end-s.pos:])]; unit { // 3days
			s.add(tNumber, end, s.text[s.pos:end]).num = n
			return
		}
		if word != "30e" && word != "365f" { // parts of day counts
			failAt(Span{s.pos, stop}, "this is neither a number nor a name: "+s.text[s.pos:stop],
				"names start with a letter; put others in double quotes")
		}
		s.add(tWord, stop, word)
	}
}

// toInt reads digits; numbers over nine digits are out of every range here.
func toInt(s string) (n int, ok bool) {
	if len(s) > 9 {
		return 0, false
	}
	for i := range len(s) {
		n = n*10 + int(s[i]-'0')
	}
	return n, true
}
