package ical

import (
	"strconv"
	"strings"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/schedule"
)

// triggerText is the relative TRIGGER of an alarm (RFC 5545 section 3.8.6.3): from
// local midnight of an all-day event's start, of a timed one the difference of the
// two instants in its zone, nil if it floats.
func triggerText(when eval.Value, a schedule.Alarm, zone *time.Location) string {
	if a.Day == civil.None {
		return durationText(-a.Minutes, false)
	}
	if when.Kind != eval.DateTime || zone == nil {
		from := 0
		if when.Kind == eval.DateTime {
			from = int(when.Minutes)
		}
		return durationText(int(a.Day-when.Day)*1440+a.Minutes-from, true)
	}
	start, want := TimeOn(when, zone), instant(a.Day, a.Minutes, zone)
	minutes := int(want.Sub(start) / time.Minute)
	days := start.AddDate(0, 0, minutes/1440).Add(time.Duration(minutes%1440) * time.Minute)
	return durationText(minutes, days.Equal(want))
}

func instant(d civil.Date, minutes int, zone *time.Location) time.Time {
	at, _ := instantAt(recur.DateTime{Day: d, Second: minutes * 60}, zone)
	return time.Unix(at-unixDay*secondsOfDay, 0).In(zone)
}

// TimeOn is a moment on a zone's clock as the library has it: its offset and the name of that.
func TimeOn(v eval.Value, zone *time.Location) time.Time {
	if v.IsRepeated() {
		return time.Unix(v.Num-unixDay*secondsOfDay, 0).In(zone)
	}
	return instant(v.Day, int(v.Minutes), zone)
}

// Instant is a time on a zone's clock in seconds of UTC since day 0; zone may be nil.
func Instant(d civil.Date, minutes int, zone *time.Location) int64 {
	at, _ := instantAt(recur.DateTime{Day: d, Second: minutes * 60}, zone)
	return at
}

// Clock is the clock of a zone, for phrases.
type Clock struct{ *time.Location }

// Instant implements eval.Clock.
func (c Clock) Instant(d civil.Date, minutes int) int64 { return Instant(d, minutes, c.Location) }

// Local implements eval.Clock.
func (c Clock) Local(at int64) (d civil.Date, minutes int) {
	s := localAt(at, c.Location)
	return s.Day, s.Second / 60
}

// durationText writes minutes as a DURATION (section 3.3.6), whose days are days of
// the clock: without them it is exact over a night when clocks change.
func durationText(minutes int, days bool) string {
	var b strings.Builder
	if minutes < 0 {
		b.WriteByte('-')
		minutes = -minutes
	}
	b.WriteByte('P')
	if d := minutes / 1440; days && d > 0 {
		b.WriteString(strconv.Itoa(d) + "D")
		minutes -= d * 1440
	}
	if h, m := minutes/60, minutes%60; h > 0 || m > 0 || b.Len() < 3 {
		b.WriteByte('T')
		if h > 0 {
			b.WriteString(strconv.Itoa(h) + "H")
		}
		if m > 0 || h == 0 {
			b.WriteString(strconv.Itoa(m) + "M")
		}
	}
	return b.String()
}
