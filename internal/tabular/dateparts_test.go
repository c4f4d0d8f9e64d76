package tabular

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/language"
)

// Random dates written in each language, with and without a weekday, in several orders and with
// small words: each is read as it was written, or refused if a word of it means two months; one
// with another weekday is refused.
func TestDates_inAllLanguages(t *testing.T) {
	r := rand.New(rand.NewPCG(28, 37))
	first, _ := civil.NewDate(1950, 1, 1)
	refused := map[string]bool{}
	for _, code := range language.Codes() {
		l, err := language.Find(code)
		if err != nil {
			t.Fatal(err)
		}
		for n := range 400 {
			d := first + civil.Date(r.IntN(36000))
			y, m, day := d.YMD()
			month := l.Month(m, n%2 == 0)
			if n%5 == 0 {
				month = l.MonthAlone(m)
			}
			text := fmt.Sprintf([]string{"%d. %s %d", "%d %s, %d", "%d de %s de %d", "den %d. %s %d", "%dth of %s %d", "%d-%s-%d"}[r.IntN(6)], day, month, y)
			if r.IntN(3) == 0 {
				text = fmt.Sprintf("%s %d, %d", month, day, y)
			}
			if code == "ja" {
				text = fmt.Sprintf("%d年%d月%d日", y, m, day)
			}
			weekday := l.Weekday(d.Weekday(), false)
			off := l.Weekday((d.Weekday()+civil.Weekday(r.IntN(6)))%7+1, false)
			order := []string{"dmy", "mdy", "ymd"}[r.IntN(3)]
			for _, c := range []struct {
				text  string
				first *language.Language
				want  civil.Date
			}{{text, l, d}, {strings.ToUpper(text), nil, d}, {weekday + ", " + text, l, d}, {off + " " + text, l, civil.None}} {
				list, err := ParseDateLayouts(order, DateContext{c.first, civil.DefaultFiscalCalendar})
				if err != nil {
					t.Fatal(err)
				}
				got, _, ok := ReadDate(c.text, list)
				if !ok {
					got = civil.None
				}
				why := WhyNot(c.text, list, DateContext{Language: c.first})
				switch {
				case got == c.want:
				case c.first == nil && strings.Contains(why, "say which with --language"):
					refused[month] = true
				default:
					t.Errorf("%s, %q by %s is %v (%s), want %v", code, c.text, order, got, why, c.want)
				}
				if c.want == civil.None && !strings.Contains(why, "is a "+civil.WeekdayNames[d.Weekday()]) {
					t.Errorf("%s, %q: %q doesn't name the weekday", code, c.text, why)
				}
			}
		}
	}
	if len(refused) == 0 || len(refused) > 5 {
		t.Errorf("refused are %v", refused)
	}
}
