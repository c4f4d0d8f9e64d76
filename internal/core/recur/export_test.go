package recur_test

import (
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Phrases and the RFC 5545 rules that say exactly the same, or why none does.
func TestExport(t *testing.T) {
	env := eval.Env{Frame: civil.DefaultFrame, Calendar: workdays.New("plain", workdays.Weekend)}
	env.Frame.FiscalMonth = 9
	for _, c := range [][2]string{
		{"daily", "FREQ=DAILY"},
		{"every 3 days from 2027-01-01 5 times", "FREQ=DAILY;INTERVAL=3;COUNT=5"},
		{"weekly on mon-wed, fri in jul", "FREQ=WEEKLY;BYMONTH=7;BYDAY=MO,TU,WE,FR"},
		{"fortnightly on fri from 2027-01-08", "FREQ=WEEKLY;INTERVAL=2;BYDAY=FR"},
		{"fortnightly on fri until 2027-12-31 from 2027-01-08", "FREQ=WEEKLY;INTERVAL=2;BYDAY=FR;UNTIL=20271231"},
		{"monthly on 15, last", "FREQ=MONTHLY;BYMONTHDAY=15,-1"},
		{"monthly on 31", "FREQ=MONTHLY;BYMONTHDAY=-1"},
		{"monthly on 30", "FREQ=MONTHLY;BYMONTHDAY=28,29,30;BYSETPOS=-1"},
		{"monthly on 31 skipping short months", "FREQ=MONTHLY;BYMONTHDAY=31"},
		{"monthly on 15, 30", "RSCALE=GREGORIAN;FREQ=MONTHLY;SKIP=BACKWARD;BYMONTHDAY=15,30"},
		{"monthly from 2027-01-31", "FREQ=MONTHLY;BYMONTHDAY=-1"},
		{"monthly on 1-5, 2nd last", "FREQ=MONTHLY;BYMONTHDAY=1,2,3,4,5,-2"},
		{"monthly on 2nd tue, last fri", "FREQ=MONTHLY;BYDAY=2TU,-1FR"},
		{"monthly on fri", "FREQ=MONTHLY;BYDAY=FR"},
		{"every 2 months on 5 from 2027-01-10", "FREQ=MONTHLY;INTERVAL=2;BYMONTHDAY=5"},
		{"every 3 months back from 2028-05-31 from 2027-02-10", "FREQ=MONTHLY;INTERVAL=3;BYMONTHDAY=-1;UNTIL=20280531"},
		{"quarterly on last", "FREQ=YEARLY;BYMONTH=3,6,9,12;BYMONTHDAY=-1"},
		{"quarterly on 15 of month 2", "FREQ=YEARLY;BYMONTH=2,5,8,11;BYMONTHDAY=15"},
		{"quarterly on 1st mon", "FREQ=YEARLY;BYMONTH=1,4,7,10;BYDAY=1MO"},
		{"every 2 quarters on last from 2027-01-01", "FREQ=MONTHLY;INTERVAL=6;BYMONTHDAY=-1"},
		{"half-yearly on day 10", "FREQ=YEARLY;BYMONTH=1,7;BYMONTHDAY=10"},
		{"yearly on 25 dec, 26 dec", "FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=25,26"},
		{"yearly on last fri of nov", "FREQ=YEARLY;BYMONTH=11;BYDAY=-1FR"},
		{"yearly on 29 feb", "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=28,29;BYSETPOS=-1"},
		{"yearly on 20th mon of year", "FREQ=YEARLY;BYDAY=20MO"},
		{"yearly on day 100, day 200", "FREQ=YEARLY;BYYEARDAY=100,200"},
		{"yearly on mon of week 20", "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO"},
		{"yearly on 1 jan, 1 jul", "FREQ=YEARLY;BYMONTH=1,7;BYMONTHDAY=1"},
		{"monthly on 15, 2nd tue", "can't name these days together"},
		{"yearly on 25 dec, 1 jan", "can't name these days together"},
		{"quarterly on 15 of month 2, last of month 3", "can't name these days together"},
		{"quarterly on 13th fri", "no RFC 5545 rule"},
		{"monthly on last working day", "counts working days"},
		{"every working day", "counts working days"},
		{"yearly on easter", "Easter"},
		{"monthly on middle", "middle"},
		{"dates 2027-01-01", "RDATE"},
		{"yearly on orthodox easter", "Easter"},
		{"fiscal-monthly on 15", "FREQ=MONTHLY;BYMONTHDAY=15"},
		{"fiscal-quarterly on last", "FREQ=YEARLY;BYMONTH=2,5,8,11;BYMONTHDAY=-1"},
		{"fiscal-yearly on day 1", "FREQ=YEARLY;BYMONTH=9;BYMONTHDAY=1"},
		{"fiscal-yearly on last", "FREQ=YEARLY;BYMONTH=8;BYMONTHDAY=-1"},
		{"fiscal-yearly on day 45", "no RFC 5545 rule"},
		{"every 3 months back from 2028-05-31", "no first date"},
	} {
		rec, err := eval.CompileRule(c[0], env)
		if err != nil {
			t.Errorf("%s: %v", c[0], err)
			continue
		}
		rule, _, why := rec.Rule.Export()
		if c[1][0] >= 'A' && c[1][0] <= 'Z' && strings.Contains(c[1], "=") {
			if rule == nil || rule.String() != c[1] {
				t.Errorf("%s is %v (%s), want %s", c[0], rule, why, c[1])
			}
		} else if rule != nil || !strings.Contains(why, c[1]) {
			t.Errorf("%s is %v (%s), want %s", c[0], rule, why, c[1])
		}
	}
}
