package render

import (
	"fmt"
	"regexp"
	"time"

	"github.com/lestrrat-go/strftime"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/ical"
)

// zoneWords are what a layout says of a time zone, and %% beside them.
var zoneWords = regexp.MustCompile(`%[%Zz]`)

// Strftime makes a writer of dates and moments of a POSIX strftime layout, with English
// names whatever the machine's language. zone finds the time zone of a moment by its name,
// nil if times float; what a layout says of a zone is blank without one.
func Strftime(layout string, zone func(name string) *time.Location) (func(v eval.Value) string, error) {
	bare := zoneWords.ReplaceAllStringFunc(layout, func(s string) string {
		if s == "%%" {
			return s
		}
		return ""
	})
	var zoned, floating *strftime.Strftime
	var err error
	for _, f := range []struct {
		to     **strftime.Strftime
		layout string
	}{{&zoned, layout}, {&floating, bare}} {
		if *f.to, err = strftime.New(f.layout); err != nil {
			return nil, fmt.Errorf("expected a layout such as '%%d %%b %%Y', found %q (%w)", layout, err)
		}
	}
	return func(v eval.Value) string {
		y, m, day := v.Day.YMD()
		instant := func(minutes int, loc *time.Location) time.Time {
			return time.Date(y, time.Month(m), day, 0, minutes, 0, 0, loc)
		}
		if v.Kind != eval.DateTime {
			return floating.FormatString(instant(0, time.UTC))
		}
		loc := zone(v.Text)
		if loc == nil {
			return floating.FormatString(instant(int(v.Minutes), time.UTC))
		}
		// The clock stays as it is, also at a time that the zone skips.
		name, offset := ical.TimeOn(v, loc).Zone()
		return zoned.FormatString(instant(int(v.Minutes), time.FixedZone(name, offset)))
	}, nil
}
