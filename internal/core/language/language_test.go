package language

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
)

// TestLookup_namesOfAllLanguages looks each name up in its own language and without one, in
// capitals and without marks: it is that month or weekday, but for the words that mean two
// months, which are listed here.
func TestLookup_namesOfAllLanguages(t *testing.T) {
	conflicts := map[string]string{}
	for i := range all {
		l := &all[i]
		for m := 1; m <= 12 && l.Code != "ja"; m++ {
			for _, name := range []string{l.Month(m, false), l.Month(m, true), l.MonthAlone(m)} {
				for _, text := range []string{name, strings.ToUpper(name), bare(strings.ToLower(name))} {
					text = strings.TrimSuffix(text, ".")
					if w := Lookup(text, l); w.Month != m {
						t.Errorf("%s in %s: %+v, want month %d", text, l.Code, w, m)
					}
					w := Lookup(text, nil)
					if w.Conflict != "" {
						conflicts[strings.ToLower(text)] = w.Conflict
					}
					if (w.Conflict == "") != (w.Month == m) {
						t.Errorf("%s: %+v, want month %d", text, w, m)
					}
					if !slices.Contains(w.Languages, l.Code) {
						t.Errorf("%s isn't a word of %s", text, l.Code)
					}
				}
			}
		}
		for d := civil.Monday; d <= civil.Sunday; d++ {
			for _, name := range []string{l.Weekday(d, false), strings.ToUpper(l.Weekday(d, false)), l.Weekday(d, true)} {
				if name = strings.TrimSuffix(name, "."); len(name) == 1 {
					continue
				}
				if w := Lookup(name, nil); w.Weekdays>>(d-1)&1 == 0 {
					t.Errorf("%s in %s: %+v, want %v", name, l.Code, w, d)
				}
			}
		}
	}
	want := map[string]string{"lip": "June in hr; July in pl", "lis": "October in hr; November in cs, pl", "listopad": "October in hr; November in cs, pl",
		"listopada": "October in hr; November in pl", "srp": "July in hr; August in cs"}
	if !maps.Equal(conflicts, want) {
		t.Errorf("words of two months: %q", conflicts)
	}
}

func TestLookup_words(t *testing.T) {
	croatian, err := Find("HR")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		word     string
		first    *Language
		month    int
		weekdays uint8
	}{
		{"LIS", croatian, 10, 0}, {"Ma\u0308rz", nil, 3, 0}, {"mar", nil, 3, 1 << 1}, {"maj", nil, 5, 0}, {"mai", nil, 5, 0}, {"Thurs", nil, 0, 1 << 3},
		{"ΙΑΝΟΥΆΡΙΟΣ", nil, 1, 0}, {"aout", nil, 8, 0}, {"Mrz", nil, 3, 0}, {"di", nil, 0, 1<<1 | 1<<6}, {"月", nil, 0, 1}, {"jui", nil, 0, 0}, {"", nil, 0, 0},
		{"s", nil, 0, 0}, {strings.Repeat("march", 20), nil, 0, 0}, {"segunda-feira", nil, 0, 1},
	} {
		if w := Lookup(c.word, c.first); w.Month != c.month || w.Weekdays != c.weekdays {
			t.Errorf("%s: %+v, want month %d, weekdays %b", c.word, w, c.month, c.weekdays)
		}
	}
	if got := Common([]string{"stycznia", "listopada"}); !slices.Equal(got, []string{"pl"}) {
		t.Errorf("common to stycznia and listopada: %v", got)
	}
	if got := Common([]string{"stycznia", "augusztus"}); len(got) > 0 {
		t.Errorf("common to stycznia and augusztus: %v", got)
	}
	if _, err := Find("xx"); err == nil || !strings.Contains(err.Error(), "bg, ca, cs, da, de") {
		t.Errorf("an unknown language: %v", err)
	}
	if pl, _ := Find("pl"); pl.Month(3, false)+" "+pl.MonthAlone(3)+" "+pl.Month(3, true)+" "+pl.Weekday(civil.Friday, false) != "marca marzec mar piątek" {
		t.Error("the names of March and Friday in Polish")
	}
}
