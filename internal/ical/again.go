package ical

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// Earlier is what stood in an earlier file, which a new one follows: the same UIDs
// are the same events.
type Earlier struct {
	blocks []block
	zones  []block
}

// block is a component as it stands, to the byte.
type block struct {
	raw       string
	lines     []string // unfolded
	name      string   // VEVENT, VTIMEZONE, …
	uid, tzid string
	at        eval.Value // DTSTART
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

// Earliest reads the earlier file of a path; nil where there is none.
func Earliest(path string) (*Earlier, error) {
	f, err := os.Open(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	e, err := ReadEarlier(path, f)
	if err != nil {
		return nil, fmt.Errorf("%w; it isn't written over", err)
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
		case p.Name == "DTSTART":
			b.at, _ = moment(p.Value)
			b.tzid = p.Params["TZID"]
		case p.Name == "SEQUENCE":
			b.sequence, _ = strconv.Atoi(p.Value)
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

// ours are the properties that a schedule says; the others don't make an event a
// changed one.
var ours = []string{"UID", "DTSTART", "SUMMARY", "DESCRIPTION", "CATEGORIES", "TRANSP", "STATUS"}

// says are the content lines of those properties, sorted.
func (b *block) says() []string { return saying(b.lines) }

func saying(lines []string) (list []string) {
	var alarm []string // its lines are its own; one as a reminder writes it is ours
	inner := 0
	for _, line := range lines {
		name := strings.ToUpper(line[:max(strings.IndexAny(line, ";:"), 0)])
		switch {
		case name == "BEGIN" && !strings.EqualFold(line, "BEGIN:VEVENT"):
			inner++
			alarm = nil
		case name == "END" && inner > 0:
			if inner--; len(alarm) == 3 && alarm[0] == "ACTION:DISPLAY" && strings.HasPrefix(alarm[2], "TRIGGER:") {
				list = append(list, strings.Join(alarm, " "))
			}
		case inner > 0:
			alarm = append(alarm, line)
		case inner == 0 && slices.Contains(ours, name):
			list = append(list, line)
		}
	}
	slices.Sort(list)
	return list
}

// Follow says what becomes of the events of an earlier file.
type Follow struct {
	*Earlier
	// Window and Today bound what may be cancelled: a day of the window, not before
	// today.
	Window civil.Span
	Today  civil.Date
	// Plans are the plans whose events these are, by the ends of their UIDs.
	Plans []string
	// Left reports whether an event of the plan is none of this run's business, and
	// Elsewhere gives one that the schedule has outside of the window.
	Left      func(series string) bool
	Elsewhere func(uid string) (Event, bool)
	// Order is that of series on one day.
	Order []string

	cancelled []part // anew
}

// Cancellations writes what was cancelled as an iTIP object (RFC 5546 section 3.2.5);
// any is false, and nothing is written, where nothing was.
func (f *Follow) Cancellations(w io.Writer) (any bool, err error) {
	if len(f.cancelled) == 0 {
		return false, nil
	}
	l := newLines(w)
	for _, line := range []string{"BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Yoyaku//yoyaku//EN", "METHOD:CANCEL"} {
		l.put(line)
	}
	for _, z := range f.zones {
		if slices.ContainsFunc(f.cancelled, func(p part) bool {
			return slices.ContainsFunc(p.new, func(s string) bool { return strings.HasPrefix(s, "DTSTART;TZID="+z.tzid+":") })
		}) {
			l.write(z.raw)
		}
	}
	for _, p := range f.cancelled {
		l.event(p.new)
	}
	l.put("END:VCALENDAR")
	return true, l.flush()
}

// part is a component of the new file: what stands there, or an event anew.
type part struct {
	at   eval.Value
	rank int // of its series among those of a day
	raw  string
	new  []string // content lines, unfolded
}

// parts makes the components of a file that follows an earlier one, by date.
func (l *lines) parts(c Calendar, events []Event) (list []part) {
	stamp := basic(c.Stamp) + "T000000Z"
	old := map[string]*block{}
	if c.Follow != nil {
		for i := range c.Follow.blocks {
			if b := &c.Follow.blocks[i]; b.name == "VEVENT" {
				old[b.uid] = b
			}
		}
	}
	written := map[string]bool{}
	put := func(e Event) {
		written[e.UID] = true
		content := c.content(e)
		b := old[e.UID]
		switch {
		case b == nil:
			list = append(list, part{rank: c.Follow.rank(e.UID), at: e.At, new: stamped(content, stamp, 0, false)})
		case slices.Equal(b.says(), saying(content)):
			list = append(list, part{rank: c.Follow.rank(e.UID), at: e.At, raw: b.raw})
		default:
			list = append(list, part{rank: c.Follow.rank(e.UID), at: e.At, new: stamped(content, max(stamp, b.stamp), b.sequence+1, true)})
		}
	}
	for _, e := range events {
		put(e)
	}
	if c.Follow == nil {
		return list
	}
	for i := range c.Follow.blocks {
		b := &c.Follow.blocks[i]
		if written[b.uid] && b.name == "VEVENT" {
			continue
		}
		if e, ok := c.Follow.moved(b); ok {
			put(e)
			continue
		}
		if p, keep := c.Follow.keep(b, stamp); keep {
			list = append(list, p)
		}
	}
	slices.SortStableFunc(list, func(a, b part) int {
		return cmp.Or(cmp.Compare(a.at.Day, b.at.Day), cmp.Compare(a.at.Minutes, b.at.Minutes), cmp.Compare(a.rank, b.rank))
	})
	return list
}

// mine reports whether an earlier event is the plan's and this run's.
func (f *Follow) mine(b *block) bool {
	if b.name != "VEVENT" || !slices.ContainsFunc(f.Plans, func(p string) bool { return strings.HasSuffix(b.uid, "@"+p) }) {
		return false
	}
	series, _, _ := identity(b.uid)
	return f.Left == nil || !f.Left(series)
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
	if !f.mine(b) || !f.Window.Has(b.at.Day) || f.Elsewhere == nil {
		return Event{}, false
	}
	return f.Elsewhere(b.uid)
}

// keep is what becomes of an earlier event that the schedule no longer has.
func (f *Follow) keep(b *block, stamp string) (p part, keep bool) {
	p = part{rank: f.rank(b.uid), at: b.at, raw: b.raw}
	switch {
	case !f.mine(b), !f.Window.Has(b.at.Day):
		return p, true
	case b.cancelled:
		return p, b.at.Day >= f.Today
	case b.at.Day < f.Today:
		return p, true
	}
	var lines []string
	inner := 0 // what is cancelled reminds nobody, and RFC 5546 section 3.2.5 has no alarm in a CANCEL
	for _, line := range b.lines[1 : len(b.lines)-1] {
		name := strings.ToUpper(line[:max(strings.IndexAny(line, ";:"), 0)])
		switch name {
		case "BEGIN":
			inner++
		case "END":
			inner--
			continue
		}
		if inner == 0 && !slices.Contains([]string{"DTSTAMP", "SEQUENCE", "LAST-MODIFIED", "STATUS"}, name) {
			lines = append(lines, line)
		}
	}
	p = part{rank: f.rank(b.uid), at: b.at, new: stamped(append(lines, "STATUS:CANCELLED"), max(stamp, b.stamp), b.sequence+1, true)}
	f.cancelled = append(f.cancelled, p)
	return p, true
}

// stamped puts DTSTAMP, SEQUENCE and, where it changed, LAST-MODIFIED behind the UID.
func stamped(content []string, stamp string, sequence int, changed bool) (list []string) {
	for _, line := range content {
		if list = append(list, line); strings.HasPrefix(line, "UID") {
			list = append(list, "DTSTAMP:"+stamp, "SEQUENCE:"+strconv.Itoa(sequence))
			if changed {
				list = append(list, "LAST-MODIFIED:"+stamp)
			}
		}
	}
	return list
}

// content are the content lines of an event, unfolded, without its stamps.
func (c Calendar) content(e Event) []string {
	list := []string{"UID:" + escape(e.UID)}
	switch {
	case e.At.Kind != eval.Moment:
		list = append(list, "DTSTART;VALUE=DATE:"+basic(e.At.Day))
	case c.Zone == nil:
		list = append(list, "DTSTART:"+basic(e.At.Day)+clock(e.At))
	case isUTC(c.Zone):
		list = append(list, "DTSTART:"+basic(e.At.Day)+clock(e.At)+"Z")
	default:
		list = append(list, "DTSTART;TZID="+c.Zone.String()+":"+basic(e.At.Day)+clock(e.At))
	}
	list = append(list, "SUMMARY:"+escape(e.Summary))
	if e.Description != "" {
		list = append(list, "DESCRIPTION:"+escape(e.Description))
	}
	if e.Category != "" {
		list = append(list, "CATEGORIES:"+escape(e.Category))
	}
	list = append(list, "TRANSP:TRANSPARENT")
	for _, a := range e.Alarms() {
		list = append(list, "BEGIN:VALARM", "ACTION:DISPLAY", "DESCRIPTION:"+escape(e.Summary), "TRIGGER:"+trigger(e.At, a, c.Zone), "END:VALARM")
	}
	return list
}

// isUTC reports whether a zone is UTC by one of its names.
func isUTC(z *time.Location) bool {
	switch z.String() {
	case "UTC", "Etc/UTC", "Etc/UCT", "UCT", "Zulu", "Etc/Zulu", "Universal", "Etc/Universal":
		return true
	}
	return false
}

// SameUIDError is a UID that two events of a file have.
type SameUIDError struct{ A, B Event }

// Error names both events.
func (e *SameUIDError) Error() string {
	return fmt.Sprintf("two events have the UID %s: %q on %s and %q on %s", e.A.UID, e.A.Summary, e.A.At, e.B.Summary, e.B.At)
}
