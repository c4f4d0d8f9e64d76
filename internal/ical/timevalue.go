package ical

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

const secondsOfDay = 86400

// TimeValue is a DATE, or a DATE-TIME on the clock of its zone (RFC 5545 sections 3.3.4
// and 3.3.5).
type TimeValue struct {
	recur.DateTime
	HasTime bool
	Zone    *time.Location // of a time; nil if it floats

	isSecondOfFold bool // the second of two times that the clock shows alike
}

// unixDay is the day number of 1970-01-01.
const unixDay = 719163

// Instant is the time of a stamp in seconds of UTC since day 0; dates and floating
// times count as though they were in UTC.
func (s TimeValue) Instant() int64 {
	at, _ := instantAt(s.DateTime, s.Zone)
	if s.isSecondOfFold {
		at = localSeconds(s.DateTime) - offsetAt(localSeconds(s.DateTime)+15*3600, s.Zone)
	}
	return at
}

// instantAt places a moment of a zone's clock. A time that the clock skips takes the
// offset before the gap, one that it shows twice is the first (section 3.3.5).
func instantAt(m recur.DateTime, zone *time.Location) (at int64, skipped bool) {
	local := int64(m.Day)*secondsOfDay + int64(m.Second)
	if zone == nil || zone == time.UTC {
		return local, false
	}
	before := offsetAt(local-15*3600, zone) // no zone is further from UTC
	if at = local - before; offsetAt(at, zone) == before {
		return at, false
	}
	after := offsetAt(local+15*3600, zone)
	if late := local - after; offsetAt(late, zone) == after {
		return late, false
	}
	return at, true
}

// offsetAt is a zone's offset from UTC at an instant, in seconds.
func offsetAt(at int64, zone *time.Location) int64 {
	_, offset := time.Unix(at-unixDay*secondsOfDay, 0).In(zone).Zone()
	return int64(offset)
}

// localAt is what a zone's clock shows at an instant.
func localAt(at int64, zone *time.Location) TimeValue {
	s := TimeValue{HasTime: true, Zone: zone}
	if zone == nil || zone == time.UTC {
		s.DateTime = dateTimeAt(at)
		return s
	}
	s.DateTime = dateTimeAt(at + offsetAt(at, zone))
	first, _ := instantAt(s.DateTime, zone)
	s.isSecondOfFold = first != at
	return s
}

// dateTimeAt takes seconds since day 0 apart.
func dateTimeAt(at int64) recur.DateTime {
	day := at / secondsOfDay
	if at%secondsOfDay < 0 {
		day--
	}
	return recur.DateTime{Day: civil.Date(max(int64(civil.Min), min(day, int64(civil.Max)))),
		Second: int(at - day*secondsOfDay)}
}

// localSeconds is the moment of a stamp in seconds since day 0, whatever its zone.
func localSeconds(m recur.DateTime) int64 { return int64(m.Day)*secondsOfDay + int64(m.Second) }

// In is a time on another zone's clock; dates and floating times stay.
func (s TimeValue) In(zone *time.Location) TimeValue {
	if !s.HasTime || s.Zone == nil {
		return s
	}
	return localAt(s.Instant(), zone)
}

// timeValueOf reads the value of a date or a time with the parameters of its property.
func (z zones) timeValueOf(p Property, value string) (s TimeValue, err error) {
	value = strings.ToUpper(strings.TrimSpace(value))
	day, clock, timed := strings.Cut(value, "T")
	if s.Day, err = basicDate(day); err != nil {
		return s, notDate(value)
	}
	if !timed {
		return s, nil
	}
	s.HasTime = true
	clock, utc := strings.CutSuffix(clock, "Z")
	n, err := strconv.ParseUint(clock, 10, 32)
	if err != nil || len(clock) != 6 || n/10000 > 23 || n/100%100 > 59 || n%100 > 60 {
		return s, notDate(value)
	}
	s.Second = int(n/10000*3600 + n/100%100*60 + min(n%100, 59)) // a leap second is the one before
	if utc {
		s.Zone = time.UTC
	} else if id := p.Params["TZID"]; id != "" {
		s.Zone, err = z.find(id)
	}
	return s, err
}

func notDate(value string) error {
	return fmt.Errorf("expected a date or time such as 20270331 or 20270331T163000, found %q",
		value[:min(len(value), 40)])
}

// basicDate reads 20270331.
func basicDate(s string) (civil.Date, error) {
	if len(s) == 8 {
		if d, _, ok := civil.Parse(s[:4] + "-" + s[4:6] + "-" + s[6:]); ok {
			return d, nil
		}
	}
	return civil.None, fmt.Errorf("expected a date such as 20270331, found %q", s[:min(len(s), 40)])
}

// duration is how long an event takes: days of the clock, and then exact seconds
// (section 3.3.6).
type duration struct {
	days    int
	seconds int64
}

// maxDurationDays is the longest that an event may take: all the days that there are.
const maxDurationDays = int(civil.Max)

// parseDuration reads P1W, P2DT3H, -PT15M.
func parseDuration(s string) (l duration, err error) {
	bad := fmt.Errorf("expected a duration such as P2D, found %q", s[:min(len(s), 40)])
	text := strings.ToUpper(strings.TrimSpace(s))
	rest, ok := strings.CutPrefix(strings.TrimLeft(text, "+-"), "P")
	if !ok || rest == "" || len(text)-len(rest) > 2 {
		return l, bad
	}
	clock := false
	for rest != "" {
		if rest[0] == 'T' && !clock {
			if rest, clock = rest[1:], true; rest == "" {
				return l, bad
			}
			continue
		}
		n := 0
		for n < len(rest) && n < 9 && rest[n] >= '0' && rest[n] <= '9' {
			n++
		}
		if n == 0 || n == len(rest) {
			return l, bad
		}
		k, _ := strconv.Atoi(rest[:n])
		switch unit := rest[n]; {
		case !clock && unit == 'W':
			l.days += 7 * k
		case !clock && unit == 'D':
			l.days += k
		case clock && unit == 'H':
			l.seconds += int64(k) * 3600
		case clock && unit == 'M':
			l.seconds += int64(k) * 60
		case clock && unit == 'S':
			l.seconds += int64(k)
		default:
			return l, bad
		}
		rest = rest[n+1:]
	}
	if text[0] == '-' {
		l.days, l.seconds = -l.days, -l.seconds
	}
	if l.days > maxDurationDays || l.seconds > int64(maxDurationDays)*secondsOfDay {
		return l, fmt.Errorf("an event that lasts beyond the year 9999: %s", text)
	}
	return l, nil
}

// endAfter is the end of what begins at s.
func (l duration) endAfter(s TimeValue) TimeValue {
	if l.days > 0 {
		s.Day, s.isSecondOfFold = min(s.Day+civil.Date(l.days), civil.Max), false
	}
	if l.seconds == 0 {
		return s
	}
	return localAt(s.Instant()+l.seconds, s.Zone)
}

// byInstant orders stamps.
func byInstant(a, b TimeValue) int { return cmp.Compare(a.Instant(), b.Instant()) }
