package ical

import (
	"archive/zip"
	"bytes"
	_ "embed" // the zone archive
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"
	"time"

	"yoyaku/internal/core/phrase"
)

// zoneinfo is the Go distribution's zone archive (lib/time/zoneinfo.zip),
// embedded so that no result depends on the machine's own.
//
//go:embed zoneinfo.zip
var zoneinfo []byte

// zoneFiles are the zones of the archive.
func zoneFiles() ([]*zip.File, error) {
	archive, err := zip.NewReader(bytes.NewReader(zoneinfo), int64(len(zoneinfo)))
	if err != nil {
		return nil, err
	}
	return archive.File, nil
}

// Zone loads a time zone by its IANA name. An unknown name is an error that
// offers the nearest.
func Zone(name string) (*time.Location, error) {
	list, err := zoneFiles()
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(list, func(f *zip.File) bool { return f.Name == name && !strings.HasSuffix(name, "/") })
	if i < 0 {
		var names []string
		for _, f := range list {
			names = append(names, f.Name)
		}
		hint := "use a name such as Atlantic/Faroe or Europe/London"
		if near := phrase.Nearest(name, names); near != "" {
			hint = "did you mean " + near + "?"
		}
		return nil, fmt.Errorf("unknown time zone %q; %s", name, hint)
	}
	f, err := list[i].Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := io.ReadAll(f)
	if err != nil {
		return nil, err
	}
	return time.LoadLocationFromTZData(name, data)
}

// loadedZones are the zones of times that were asked for, by name.
var loadedZones sync.Map

// zone is that of a time by its name, which has been found before; "" is the calendar's.
func (c Calendar) zone(name string) *time.Location {
	if name == "" || c.Zone != nil && name == c.Zone.String() {
		return c.Zone
	}
	if z, ok := loadedZones.Load(name); ok {
		return z.(*time.Location)
	}
	z, err := Zone(name)
	if err != nil {
		return nil
	}
	loadedZones.Store(name, z)
	return z
}

// timezone writes the VTIMEZONE that covers the instants from first to last: one
// observance per transition, DAYLIGHT where the offset rises, and a STANDARD one always
// (section 3.6.5), since readers look for it. A zone without later changes is STANDARD.
func (l *lineWriter) timezone(loc *time.Location, first, last time.Time) {
	l.putLine("BEGIN:VTIMEZONE")
	l.putLine("TZID:", loc.String())
	var list []time.Time
	if start := nextTransition(first.In(loc), -1, epoch); start.IsZero() { // the offset has always held
		name, offset := first.In(loc).Zone()
		since := epoch
		if first.Before(since) {
			since = first.UTC().AddDate(0, 0, -2).Truncate(24 * time.Hour)
		}
		l.observance("STANDARD", since, offset, offset, name)
	} else {
		list = append(list, start)
	}
	for next := nextTransition(first.In(loc), 1, last); !next.IsZero(); next = nextTransition(next, 1, last) {
		list = append(list, next)
	}
	standard := -1
	if n := len(list); n > 0 && !slices.ContainsFunc(list, func(at time.Time) bool { return !offsetRises(at) }) {
		standard = l.standardOf(list, last)
		for standard < 0 { // one before, which isn't needed for the times themselves
			before := nextTransition(list[0].Add(-time.Second), -1, epoch)
			if before.IsZero() {
				standard = len(list) - 1
				break
			}
			if list = append([]time.Time{before}, list...); !offsetRises(before) {
				break
			}
		}
	}
	for i, at := range list {
		l.transition(at, i == standard)
	}
	l.putLine("END:VTIMEZONE")
}

// offsetRises reports whether a zone's offset rises at a transition.
func offsetRises(at time.Time) bool {
	_, before := at.Add(-time.Second).Zone()
	_, after := at.Zone()
	return after > before
}

// transitionLookahead is for how long after the last time a later change of a zone is looked for.
const transitionLookahead = 2 * 366 * 24 * time.Hour

// standardOf is which of a zone's transitions, all of which rise, begins its standard time:
// the last, if nothing changes after it; -1 if something does.
func (l *lineWriter) standardOf(list []time.Time, last time.Time) int {
	at := list[len(list)-1]
	if nextTransition(at, 1, maxTime(at, last).Add(transitionLookahead)).IsZero() {
		return len(list) - 1
	}
	return -1
}

func maxTime(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// epoch is before any zone's first transition.
var epoch = time.Date(1840, 1, 1, 0, 0, 0, 0, time.UTC)

// nextTransition finds the nearest instant at which a zone's offset or name changes,
// after at (way 1) up to limit, or at and before it (way -1); zero when there
// is none. It looks at each day, since the library's own bounds of a zone's
// offset also fall if nothing changes.
func nextTransition(at time.Time, way int, limit time.Time) time.Time {
	same := func(a, b time.Time) bool {
		an, ao := a.Zone()
		bn, bo := b.Zone()
		return an == bn && ao == bo
	}
	for day := at; ; {
		next := day.Add(time.Duration(way) * 24 * time.Hour)
		if !same(day, next) {
			early, late := day, next
			if way < 0 {
				early, late = next, day
			}
			for late.Sub(early) > time.Second { // halve the day to the second
				mid := early.Add(late.Sub(early) / 2).Truncate(time.Second)
				if same(early, mid) {
					early = mid
				} else {
					late = mid
				}
			}
			if way > 0 && late.After(limit) {
				return time.Time{}
			}
			return late
		}
		if way > 0 && next.After(limit) || way < 0 && next.Before(limit) {
			return time.Time{}
		}
		day = next
	}
}

func (l *lineWriter) transition(at time.Time, standard bool) {
	_, before := at.Add(-time.Second).Zone()
	name, after := at.Zone()
	kind := "STANDARD"
	if after > before && !standard {
		kind = "DAYLIGHT"
	}
	l.observance(kind, at.UTC().Add(time.Duration(before)*time.Second), before, after, name)
}

func (l *lineWriter) observance(kind string, local time.Time, from, to int, name string) {
	l.putLine("BEGIN:", kind)
	l.putLine("DTSTART:", local.Format("20060102T150405"))
	l.putLine("TZOFFSETFROM:", offsetText(from))
	l.putLine("TZOFFSETTO:", offsetText(to))
	l.putLine("TZNAME:", escape(name))
	l.putLine("END:", kind)
}

// offsetText writes a UTC offset (section 3.3.14).
func offsetText(sec int) string {
	sign := '+'
	if sec < 0 {
		sign, sec = '-', -sec
	}
	s := fmt.Sprintf("%c%02d%02d", sign, sec/3600, sec/60%60)
	if sec%60 != 0 {
		s += fmt.Sprintf("%02d", sec%60)
	}
	return s
}
