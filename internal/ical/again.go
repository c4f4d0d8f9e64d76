package ical

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/files"
)

// Earlier is what stood in an earlier file, which a new one follows: the same UIDs
// are the same events.
type Earlier struct {
	blocks []block
	zones  []block
}

// block is a component as it is, to the byte.
type block struct {
	raw       string
	lines     []string // unfolded
	name      string   // VEVENT, VTIMEZONE, …
	uid, tzid string
	at        eval.Value // DTSTART, or DUE
	last      civil.Date // of its instances
	sequence  int
	stamp     string // DTSTAMP
	cancelled bool
}

// ReadEarlier reads an earlier file. One that can't be read is an error, so that it
// isn't written over.
func ReadEarlier(file string, r io.Reader) (*Earlier, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	if _, err := Read(file, bytes.NewReader(data)); err != nil {
		return nil, err
	}
	e := &Earlier{}
	for _, b := range blocks(strings.TrimPrefix(string(data), "\ufeff")) {
		if b.name == "VTIMEZONE" {
			e.zones = append(e.zones, b)
		} else {
			e.blocks = append(e.blocks, b)
		}
	}
	return e, nil
}

// OpenEarlier reads the calendar that is in the place of a new one; nil if there is
// none.
func OpenEarlier(path string) (*Earlier, error) {
	f, err := files.OpenOld(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	e, err := ReadEarlier(path, f)
	if err != nil {
		return nil, fmt.Errorf("%w; the file was left as it is", err)
	}
	return e, nil
}

// contentLine is a content line, unfolded, and where it stands.
type contentLine struct {
	text       string
	start, end int
}

// contentLines splits a text as Read does.
func contentLines(text string) (list []contentLine) {
	var folded strings.Builder // of the last line
	flush := func() {
		if folded.Len() > 0 {
			list[len(list)-1].text = folded.String()
			folded = strings.Builder{}
		}
	}
	for at := 0; at < len(text); {
		end := at + strings.IndexByte(text[at:], '\n') + 1
		if end == at {
			end = len(text)
		}
		line := strings.TrimSuffix(strings.TrimSuffix(text[at:end], "\n"), "\r")
		if n := len(list) - 1; n >= 0 && list[n].text != "" && line != "" && (line[0] == ' ' || line[0] == '\t') {
			if folded.Len() == 0 {
				folded.WriteString(list[n].text)
			}
			folded.WriteString(line[1:])
			list[n].end = end
		} else {
			flush()
			list = append(list, contentLine{line, at, end})
		}
		at = end
	}
	flush()
	return list
}

// blocks splits a calendar that Read takes into the components right below
// VCALENDAR.
func blocks(text string) (list []block) {
	depth, start := 0, 0
	var b block
	for _, line := range contentLines(text) {
		p, err := property(line.text)
		begin, end := err == nil && p.Name == "BEGIN", err == nil && p.Name == "END"
		if begin {
			if depth++; depth == 2 {
				b, start = block{name: strings.ToUpper(strings.TrimSpace(p.Value))}, line.start
			}
		}
		if depth >= 2 {
			b.lines = append(b.lines, line.text)
		}
		if end {
			if depth--; depth == 1 {
				b.raw = text[start:line.end]
				b.settle()
				list = append(list, b)
			}
		}
	}
	return list
}

// settle takes out of a block what tells who it is.
func (b *block) settle() {
	depth := 0
	for _, line := range b.lines {
		p, err := property(line)
		switch {
		case err != nil:
		case p.Name == "BEGIN":
			depth++
		case p.Name == "END":
			depth--
		case depth > 1: // of an alarm
		case p.Name == "UID":
			b.uid = strings.Join(texts(p.Value), ",")
		case p.Name == "TZID":
			b.tzid = p.Value
		case p.Name == "DTSTART", p.Name == "DUE" && b.at.Kind == eval.Blank:
			b.at, _ = moment(p.Value)
			b.tzid = p.Params["TZID"]
			b.last = max(b.last, b.at.Day)
		case p.Name == "RRULE": // one without an end goes on
			b.last = civil.Max
			if r, err := recur.ParseRRule(p.Value); err == nil && r.Until != nil {
				b.last = max(b.at.Day, r.Until.Day)
			}
		case p.Name == "RDATE":
			for _, v := range strings.Split(p.Value, ",") {
				if at, ok := moment(v); ok {
					b.last = max(b.last, at.Day)
				}
			}
		case p.Name == "SEQUENCE":
			b.sequence, _ = strconv.Atoi(strings.TrimSpace(p.Value))
		case p.Name == "DTSTAMP":
			b.stamp = p.Value
		case p.Name == "STATUS":
			b.cancelled = strings.EqualFold(p.Value, "CANCELLED")
		}
	}
	if !strings.HasSuffix(b.raw, "\n") {
		b.raw += "\r\n"
	}
}

// Scope says of which schedule events are, and how far it was asked.
type Scope struct {
	// Window is the stretch that was asked: only a day of it may be cancelled or taken
	// away.
	Window civil.Span
	// Plans are the plans whose events these are, by the ends of their UIDs.
	Plans []string
	// Left reports whether a series isn't asked this time, Elsewhere gives an event that the
	// schedule has outside of the window; nil for none.
	Left      func(series string) bool
	Elsewhere func(uid string) (Event, bool)
	// Within reports whether an event lies in the window; nil goes by its own days.
	Within func(uid string, at eval.Value) bool
	// Order is that of series on one day.
	Order []string
}

// Leaves reports whether a series isn't asked this time.
func (s *Scope) Leaves(series string) bool { return s.Left != nil && s.Left(series) }

// Moved is the event of a UID, if the schedule has it outside of the window.
func (s *Scope) Moved(uid string) (e Event, ok bool) {
	if s.Elsewhere == nil {
		return e, false
	}
	return s.Elsewhere(uid)
}

// Covers reports whether the window has an event that goes from a day to a last one.
func (s *Scope) Covers(uid string, at eval.Value, last civil.Date) bool {
	if s.Within != nil && last == at.Day {
		return s.Within(uid, at)
	}
	return at.Day <= s.Window.Last && last >= s.Window.First
}

// Follow says what becomes of the events of an earlier file.
type Follow struct {
	*Earlier
	Scope
	// Today bounds what may be cancelled: not before it.
	Today civil.Date

	cancelled []part // again
	replaced  int    // texts by hand that were written over
}

// mostSequence is the largest SEQUENCE that is taken for one (RFC 5545 section 3.3.8: an
// INTEGER of 32 bits).
const mostSequence = 1<<31 - 2

// next is the SEQUENCE of an event that is changed; one that can't be right starts again.
func (b *block) next() int {
	if b.sequence < 0 || b.sequence > mostSequence {
		return 1
	}
	return b.sequence + 1
}

// utcStamp is the form of a DTSTAMP.
var utcStamp = regexp.MustCompile(`^\d{8}T\d{6}Z$`)

// later is a DTSTAMP that isn't before the old one, if that can be right.
func (b *block) later(stamp string) string {
	if _, ok := moment(b.stamp); !ok || !utcStamp.MatchString(b.stamp) {
		return stamp
	}
	return max(stamp, b.stamp)
}

// Cancelled counts the events that are newly cancelled.
func (f *Follow) Cancelled() int { return len(f.cancelled) }

// longestCover is how many days of a recurring event that isn't ours a VTIMEZONE covers.
const longestCover = 3660

// part is a component of the new file: what is there, or a new event.
type part struct {
	at   eval.Value
	last civil.Date // of a recurring event
	rank int        // of its series among those of a day
	// dated says that it is an event or a to-do, cancelled that it takes place no more.
	dated, cancelled bool
	raw              string
	new              *content
}

// parts makes the components of a file that follows an earlier one, by date.
func (l *lines) parts(c Calendar, events []Event) (list []part, err error) {
	stamp := basic(c.Stamp) + "T000000Z"
	old := map[string]*block{}
	if c.Follow != nil {
		for i := range c.Follow.blocks {
			if b := &c.Follow.blocks[i]; b.dated() {
				old[b.uid] = b
			}
		}
	}
	written := map[string]bool{}
	put := func(e Event) error {
		written[e.UID] = true
		content, err := c.content(e)
		if err != nil {
			return err
		}
		p := part{rank: c.Follow.rank(e.UID), at: e.At, last: e.At.Day, dated: true}
		if e.Recurring != nil {
			for _, v := range e.Recurring.Dates {
				p.last = max(p.last, v.Day)
			}
		}
		mark := func() string { return hashMark + ":" + content.hashOf() }
		b := old[e.UID]
		if b == nil {
			content.add(mark())
			p.new = content.stamped(stamp, 0, false)
			list = append(list, p)
			return nil
		}
		made, unchanged, marked, replaced := content.again(b)
		switch {
		case unchanged:
			p.raw = b.raw
		case marked:
			p.new = made
		default:
			made.add(mark())
			if p.new = made.stamped(b.later(stamp), b.next(), true); replaced {
				c.Follow.replaced++
			}
		}
		list = append(list, p)
		return nil
	}
	for _, e := range events {
		if err := put(e); err != nil {
			return nil, err
		}
	}
	if c.Follow == nil {
		return list, nil
	}
	for i := range c.Follow.blocks {
		b := &c.Follow.blocks[i]
		if written[b.uid] && b.dated() {
			continue
		}
		if e, ok := c.Follow.moved(b); ok {
			if err := put(e); err != nil {
				return nil, err
			}
			continue
		}
		if p, keep := c.Follow.keep(b, stamp); keep {
			list = append(list, p)
		}
	}
	slices.SortStableFunc(list, func(a, b part) int {
		return cmp.Or(cmp.Compare(a.at.Day, b.at.Day), cmp.Compare(a.at.Minutes, b.at.Minutes), cmp.Compare(a.rank, b.rank))
	})
	return list, nil
}

// mine reports whether an earlier event is the plan's and this run's.
func (f *Follow) mine(b *block) bool {
	if !b.dated() || !slices.ContainsFunc(f.Plans, func(p string) bool { return strings.HasSuffix(b.uid, "@"+p) }) {
		return false
	}
	series, _, _ := identity(b.uid)
	return !f.Leaves(series)
}

// rank is the place of an event's series in the order of one day.
func (f *Follow) rank(uid string) int {
	if f == nil || f.Order == nil {
		return 0
	}
	series, _, _ := identity(uid)
	return slices.Index(f.Order, series)
}

// moved is an event that moved out of the window: it is written at its new date.
func (f *Follow) moved(b *block) (Event, bool) {
	if !f.mine(b) || !f.touched(b) {
		return Event{}, false
	}
	return f.Moved(b.uid)
}

// touched reports whether an earlier event lies in the window, if only in part.
func (f *Follow) touched(b *block) bool {
	return f.Covers(b.uid, b.at, b.last)
}

// keep is what becomes of an earlier event that the schedule no longer has.
func (f *Follow) keep(b *block, stamp string) (p part, keep bool) {
	p = part{rank: f.rank(b.uid), at: b.at, last: min(b.last, b.at.Day+longestCover), raw: b.raw, dated: b.dated(),
		cancelled: b.cancelled}
	switch {
	case !f.mine(b), !f.touched(b):
		return p, true
	case b.cancelled:
		return p, b.last >= f.Today
	case b.last < f.Today:
		return p, true
	}
	p.cancelled = true
	p.raw, p.new = "", b.gone().stamped(b.later(stamp), b.next(), true)
	f.cancelled = append(f.cancelled, p)
	return p, true
}

// SameUIDError is a UID that two events of a file have.
type SameUIDError struct{ A, B Event }

// Error names both events.
func (e *SameUIDError) Error() string {
	return fmt.Sprintf("two events have the UID %s: %q on %s and %q on %s", e.A.UID, e.A.Summary, e.A.At,
		e.B.Summary, e.B.At)
}
