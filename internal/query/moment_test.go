package query_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/ical"
	"yoyaku/internal/query"
)

// A time that another clock shows is the instant that the library has: in an hour that the clock
// shows twice the second one says its offset, and all are read back as what they were.
func TestParseMoment_repeatedHours(t *testing.T) {
	r := rand.New(rand.NewPCG(36, 3))
	utc := ical.Clock{Location: time.UTC}
	epoch := civil.Date(719163) // 1970-01-01
	repeated := 0
	for _, name := range []string{"America/New_York", "Europe/London", "Australia/Lord_Howe", "Asia/Tokyo", "America/St_Johns", "Africa/Casablanca"} {
		zone, err := ical.Zone(name)
		if err != nil {
			t.Fatal(err)
		}
		env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Clock: func(of string) (eval.Clock, error) {
			if of == "UTC" {
				return utc, nil
			}
			return ical.Clock{Location: zone}, nil
		}}
		var before eval.Value
		for at, last := time.Date(2027, 10, 28, 0, 0, 0, 0, time.UTC), int64(0); at.Year() < 2028; at = at.Add(time.Duration(7+r.IntN(20)) * time.Minute) {
			if name == "Africa/Casablanca" && last == 0 {
				at = at.AddDate(0, -9, 0)
			} else if name == "Australia/Lord_Howe" && last == 0 {
				at = at.AddDate(0, -7, 0)
			}
			p, err := eval.Compile(fmt.Sprintf("%s, at %s in 'UTC', in zone '%s'", at.Format("2006-01-02"), at.Format("15:04"), name), nil, env)
			if err != nil {
				t.Fatal(err)
			}
			v, err := p.Eval(nil)
			if err != nil {
				t.Fatal(err)
			}
			local := at.In(zone)
			if want := local.Format("2006-01-02T15:04"); strings.TrimSuffix(v.String(), local.Format("-07:00")) != want {
				t.Fatalf("%s in %s: %s, want %s", at, name, v, want)
			}
			again, ok := query.ParseMoment(v.String())
			if !ok || again.String() != v.String() || !again.SameTime(v) || !v.SameTime(again) {
				t.Fatalf("%s is read back as %s", v, again)
			}
			if v.IsRepeated() {
				repeated++
				if again.Num != at.Unix()+int64(epoch)*86400 || !ical.TimeOn(v, zone).Equal(at) {
					t.Fatalf("%s of %s: instant %d", v, at, again.Num)
				}
				bare, _ := query.ParseMoment(want(v))
				first := eval.Value{Kind: eval.DateTime, Day: v.Day, Minutes: v.Minutes, Num: ical.Instant(v.Day, int(v.Minutes), zone)}
				if !bare.SameTime(v) || first.SameTime(v) || eval.CompareTimes(first, v) >= 0 {
					t.Fatalf("%s beside the first %s, and without its offset", v, first)
				}
			} else if !ical.TimeOn(v, zone).Equal(at) {
				t.Fatalf("%s of %s isn't the first of its kind", v, at)
			}
			if before.Kind != eval.Blank && eval.CompareTimes(before, v) >= 0 {
				t.Fatalf("%s comes after %s", before, v)
			}
			before, last = v, at.Unix()
		}
	}
	if repeated < 10 {
		t.Errorf("only %d times were in repeated hours", repeated)
	}
	for _, text := range []string{"2027-10-31T02:30+0100", "2027-10-31T02:30+25:00", "2027-10-31T+01:00", "2027-10-31+01:00", "2027-10-31T02:30 01:00"} {
		if v, ok := query.ParseMoment(text); ok {
			t.Errorf("%s was read as %s", text, v)
		}
	}
}

// want is a moment without its offset.
func want(v eval.Value) string {
	v.Den = 0
	return v.String()
}
