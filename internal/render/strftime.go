package render

import (
	"fmt"
	"regexp"
	"time"

	"github.com/lestrrat-go/strftime"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/language"
	"yoyaku/internal/ical"
)

// zoneWords are what a layout says of a time zone, and %% beside them.
var zoneWords = regexp.MustCompile(`%[%Zz]`)

// Strftime makes a writer of dates and moments of a POSIX strftime layout, with the names of a
// language, English of nil, whatever the machine's is. zone finds the time zone of a moment by its name,
// nil if times float; what a layout says of a zone is blank without one.
func Strftime(layout string, zone func(name string) *time.Location, l *language.Language) (func(v eval.Value) string, error) {
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
		if *f.to, err = strftime.New(f.layout, layoutNames(l)...); err != nil {
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

// layoutNames are the conversions that write names, in a language.
func layoutNames(l *language.Language) (list []strftime.Option) {
	if l == nil {
		return nil
	}
	weekday := func(short bool) strftime.AppendFunc {
		return func(b []byte, t time.Time) []byte {
			return append(b, l.Weekday(civil.Weekday((int(t.Weekday())+6)%7+1), short)...)
		}
	}
	month := func(short bool) strftime.AppendFunc {
		return func(b []byte, t time.Time) []byte { return append(b, l.Month(int(t.Month()), short)...) }
	}
	for conversion, write := range map[byte]strftime.AppendFunc{'A': weekday(false), 'a': weekday(true), 'B': month(false), 'b': month(true), 'h': month(true)} {
		list = append(list, strftime.WithSpecification(conversion, write))
	}
	return list
}
