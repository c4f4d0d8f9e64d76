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

// Previous is what stood in an earlier file, which a new one follows: the same UIDs
// are the same events.
type Previous struct {
	blocks []rawComponent
	zones  []rawComponent
}

// rawComponent is a component as it is, to the byte.
type rawComponent struct {
	raw       string
	lines     []string // unfolded
	name      string   // VEVENT, VTIMEZONE, …
	uid, tzid string
	start     eval.Value // DTSTART, or DUE
	lastDay   civil.Date // of its instances
	sequence  int
	dtstamp   string // DTSTAMP
	cancelled bool
}

// readPrevious reads an earlier file. One that can't be read is an error, so that it
// isn't written over.
func readPrevious(file string, r io.Reader) (*Previous, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	if _, err := Read(file, bytes.NewReader(data)); err != nil {
		return nil, err
	}
	e := &Previous{}
	for _, b := range rawComponents(strings.TrimPrefix(string(data), "\ufeff")) {
		if b.name == "VTIMEZONE" {
			e.zones = append(e.zones, b)
		} else {
			e.blocks = append(e.blocks, b)
		}
	}
	return e, nil
}

// OpenPrevious reads the calendar that is in the place of a new one; nil if there is
// none.
func OpenPrevious(path string) (*Previous, error) {
	f, err := files.OpenExisting(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	e, err := readPrevious(path, f)
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

// rawComponents splits a calendar that Read takes into the components right below
// VCALENDAR.
func rawComponents(text string) (list []rawComponent) {
	depth, start := 0, 0
	var b rawComponent
	for _, line := range contentLines(text) {
		p, err := property(line.text)
		begin, end := err == nil && p.Name == "BEGIN", err == nil && p.Name == "END"
		if begin {
			if depth++; depth == 2 {
				b, start = rawComponent{name: strings.ToUpper(strings.TrimSpace(p.Value))}, line.start
			}
		}
		if depth >= 2 {
			b.lines = append(b.lines, line.text)
		}
		if end {
			if depth--; depth == 1 {
				b.raw = text[start:line.end]
				b.parseIdentity()
				list = append(list, b)
			}
		}
	}
	return list
}

// parseIdentity takes out of a block what tells who it is.
func (b *rawComponent) parseIdentity() {
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
			b.uid = strings.Join(splitTextList(p.Value), ",")
		case p.Name == "TZID":
			b.tzid = p.Value
		case p.Name == "DTSTART", p.Name == "DUE" && b.start.Kind == eval.Blank:
			b.start, _ = parseDateTime(p.Value)
			b.tzid = p.Params["TZID"]
			b.lastDay = max(b.lastDay, b.start.Day)
		case p.Name == "RRULE": // one without an end goes on
			b.lastDay = civil.Max
			if r, err := recur.ParseRRule(p.Value); err == nil && r.Until != nil {
				b.lastDay = max(b.start.Day, r.Until.Day)
			}
		case p.Name == "RDATE":
			for _, v := range strings.Split(p.Value, ",") {
				if when, ok := parseDateTime(v); ok {
					b.lastDay = max(b.lastDay, when.Day)
				}
			}
		case p.Name == "SEQUENCE":
			b.sequence, _ = strconv.Atoi(strings.TrimSpace(p.Value))
		case p.Name == "DTSTAMP":
			b.dtstamp = p.Value
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
	// IsExcluded reports whether a series isn't asked this time, FindOutside gives an event that the
	// schedule has outside of the window; nil for none.
	IsExcluded  func(series string) bool
	FindOutside func(uid string) (Event, bool)
	// InWindow reports whether an event lies in the window; nil goes by its own days.
	InWindow func(uid string, when eval.Value) bool
	// Order is that of series on one day.
	Order []string
}

// Excludes reports whether a series isn't asked this time.
func (s *Scope) Excludes(series string) bool { return s.IsExcluded != nil && s.IsExcluded(series) }

// FindMoved is the event of a UID, if the schedule has it outside of the window.
func (s *Scope) FindMoved(uid string) (e Event, ok bool) {
	if s.FindOutside == nil {
		return e, false
	}
	return s.FindOutside(uid)
}

// Covers reports whether the window has an event that goes from a day to a last one.
func (s *Scope) Covers(uid string, when eval.Value, last civil.Date) bool {
	if s.InWindow != nil && last == when.Day {
		return s.InWindow(uid, when)
	}
	return when.Day <= s.Window.Last && last >= s.Window.First
}

// Update says what becomes of the events of an earlier file.
type Update struct {
	*Previous
	Scope
	// Today bounds what may be cancelled: not before it.
	Today civil.Date

	cancelled   []outComponent // again
	overwritten int            // texts by hand that were written over
	atLimit     int            // changed events that keep their SEQUENCE, which can't rise
}

// maxSequence is the largest SEQUENCE that is taken for one (RFC 5545 section 3.3.8: an
// INTEGER of 32 bits).
const maxSequence = 1<<31 - 1

// nextSequence is the SEQUENCE of an event that is changed; the largest stays, and one that can't
// be right starts again.
func (b *rawComponent) nextSequence() int {
	switch {
	case b.sequence < 0 || b.sequence > maxSequence:
		return 1
	case b.sequence == maxSequence:
		return maxSequence
	}
	return b.sequence + 1
}

// nextSequence is that of a component, counted if it can't rise.
func (f *Update) nextSequence(b *rawComponent) int {
	if b.sequence == maxSequence {
		f.atLimit++
	}
	return b.nextSequence()
}

// utcStamp is the form of a DTSTAMP.
var utcStamp = regexp.MustCompile(`^\d{8}T\d{6}Z$`)

// laterDTSTAMP is a DTSTAMP that isn't before the old one, if that can be right.
func (b *rawComponent) laterDTSTAMP(stamp string) string {
	if _, ok := parseDateTime(b.dtstamp); !ok || !utcStamp.MatchString(b.dtstamp) {
		return stamp
	}
	return max(stamp, b.dtstamp)
}

// Cancelled counts the events that are newly cancelled.
func (f *Update) Cancelled() int { return len(f.cancelled) }

// maxForeignCover is how many days of a recurring event that isn't ours a VTIMEZONE covers.
const maxForeignCover = 3660

// outComponent is a component of the new file: what is there, or a new event.
type outComponent struct {
	start eval.Value
	last  civil.Date // of a recurring event
	rank  int        // of its series among those of a day
	// isEventOrTodo says that it is an event or a to-do, cancelled that it takes place no more.
	isEventOrTodo, cancelled bool
	raw                      string
	new                      *componentLines
}

// components makes the components of a file that follows an earlier one, by date.
func (l *lineWriter) components(c Calendar, events []Event) (list []outComponent, err error) {
	m := calendarMerge{Calendar: c, stamp: basicDateText(c.DTSTAMP) + "T000000Z", old: map[string]*rawComponent{}, written: map[string]bool{}}
	if c.Update != nil {
		for i := range c.Update.blocks {
			if b := &c.Update.blocks[i]; b.isEventOrTodo() {
				m.old[b.uid] = b
			}
		}
	}
	for _, e := range events {
		if err := m.put(e); err != nil {
			return nil, err
		}
	}
	if c.Update == nil {
		return m.list, nil
	}
	made := len(m.list)
	for i := range c.Update.blocks {
		b := &c.Update.blocks[i]
		if m.written[b.uid] && b.isEventOrTodo() {
			continue
		}
		if e, ok := c.Update.movedOut(b); ok {
			if err := m.put(e); err != nil {
				return nil, err
			}
			continue
		}
		if p, keep := c.Update.carryOver(b, m.stamp); keep {
			m.list = append(m.list, p)
		}
	}
	if len(m.list) == made { // in their order already, which goes by instants where zones differ
		return m.list, nil
	}
	slices.SortStableFunc(m.list, func(a, b outComponent) int {
		return cmp.Or(cmp.Compare(a.start.Day, b.start.Day), cmp.Compare(a.start.Minutes, b.start.Minutes), cmp.Compare(a.rank, b.rank))
	})
	return m.list, nil
}

// calendarMerge puts the events of a schedule over those of an earlier calendar.
type calendarMerge struct {
	Calendar
	stamp   string                   // DTSTAMP of what is written
	old     map[string]*rawComponent // events and to-dos of the earlier calendar, by UID
	written map[string]bool          // UIDs
	list    []outComponent
}

// put adds an event: as it was if nothing changed, else over the earlier one, else new.
func (m *calendarMerge) put(e Event) error {
	m.written[e.UID] = true
	content, err := m.content(e)
	if err != nil {
		return err
	}
	p := outComponent{rank: m.Update.rank(e.UID), start: e.At, last: e.At.Day, isEventOrTodo: true}
	if e.Recurring != nil {
		for _, v := range e.Recurring.Dates {
			p.last = max(p.last, v.Day)
		}
	}
	marks := func() []string {
		list := []string{hashProperty + ":" + content.hash()}
		if e.Rule != "" {
			list = append(list, ruleProperty+":"+e.Rule)
		}
		return list
	}
	if b := m.old[e.UID]; b == nil {
		content.appendLines(marks()...)
		p.new = content.withStamps(m.stamp, 0, false)
	} else {
		merged, unchanged, marked, replaced := content.mergeInto(b)
		switch {
		case unchanged && e.Rule == b.ruleMark():
			p.raw = b.raw
		case unchanged:
			p.new = b.contentLines().withRuleMark(e.Rule)
		case marked:
			p.new = merged.withRuleMark(e.Rule)
		default:
			merged.appendLines(marks()...)
			if p.new = merged.withStamps(b.laterDTSTAMP(m.stamp), m.Update.nextSequence(b), true); replaced {
				m.Update.overwritten++
			}
		}
	}
	m.list = append(m.list, p)
	return nil
}

// owns reports whether an earlier event is the plan's and this run's.
func (f *Update) owns(b *rawComponent) bool {
	if !b.isEventOrTodo() || !slices.ContainsFunc(f.Plans, func(p string) bool { return strings.HasSuffix(b.uid, "@"+p) }) {
		return false
	}
	series, _, _ := splitUID(b.uid)
	return !f.Excludes(series)
}

// rank is the place of an event's series in the order of one day.
func (f *Update) rank(uid string) int {
	if f == nil || f.Order == nil {
		return 0
	}
	series, _, _ := splitUID(uid)
	return slices.Index(f.Order, series)
}

// movedOut is an event that moved out of the window: it is written at its new date.
func (f *Update) movedOut(b *rawComponent) (Event, bool) {
	if !f.owns(b) || !f.inWindow(b) {
		return Event{}, false
	}
	return f.FindMoved(b.uid)
}

// inWindow reports whether an earlier event lies in the window, if only in part.
func (f *Update) inWindow(b *rawComponent) bool {
	return f.Covers(b.uid, b.start, b.lastDay)
}

// carryOver decides about an event of the previous file that the schedule lacks. Foreign
// events, and those outside the window or before Today, stay byte for byte; the plan's own
// become STATUS:CANCELLED with SEQUENCE + 1. Cancelled ones are dropped once they are past.
func (f *Update) carryOver(b *rawComponent, stamp string) (p outComponent, keep bool) {
	p = outComponent{rank: f.rank(b.uid), start: b.start, last: min(b.lastDay, b.start.Day+maxForeignCover), raw: b.raw, isEventOrTodo: b.isEventOrTodo(),
		cancelled: b.cancelled}
	switch {
	case !f.owns(b), !f.inWindow(b):
		return p, true
	case b.cancelled:
		return p, b.lastDay >= f.Today
	case b.lastDay < f.Today:
		return p, true
	}
	p.cancelled = true
	p.raw, p.new = "", b.cancelledCopy().withStamps(b.laterDTSTAMP(stamp), f.nextSequence(b), true)
	f.cancelled = append(f.cancelled, p)
	return p, true
}

// DuplicateUIDError is a UID that two events of a file have.
type DuplicateUIDError struct{ A, B Event }

// Error names both events.
func (e *DuplicateUIDError) Error() string {
	return fmt.Sprintf("two events have the UID %s: %q on %s and %q on %s", e.A.UID, e.A.Summary, e.A.At,
		e.B.Summary, e.B.At)
}
