package render

import (
	"bytes"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
)

// luminance of a colour, as WCAG 2.1 defines it.
func luminance(hex string) (sum float64) {
	for i, weight := range []float64{0.2126, 0.7152, 0.0722} {
		n, _ := strconv.ParseUint(hex[1+2*i:3+2*i], 16, 8)
		c := float64(n) / 255
		if c <= 0.04045 {
			c /= 12.92
		} else {
			c = math.Pow((c+0.055)/1.055, 2.4)
		}
		sum += weight * c
	}
	return sum
}

func contrast(a, b string) float64 {
	x, y := luminance(a), luminance(b)
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

// Every colour of a wall stands out from both grounds, in light and in dark.
func TestWallContrast(t *testing.T) {
	var b bytes.Buffer
	if err := wallTemplate().Execute(&b, struct{ Hues []seriesColor }{seriesColors}); err == nil {
		t.Fatal("the template needs more than colours")
	}
	value := func(page, name string) string {
		m := regexp.MustCompile(`--` + name + `: (#[0-9a-f]{6})`).FindStringSubmatch(page)
		if m == nil {
			t.Fatalf("no --%s", name)
		}
		return m[1]
	}
	light := wallText(t, 2, false)
	_, dark, _ := strings.Cut(light, "prefers-color-scheme: dark")
	for n, page := range []string{light, dark} {
		grounds := []string{value(page, "paper"), value(page, "shut")}
		inks := []string{value(page, "ink"), value(page, "faint")}
		for _, h := range seriesColors {
			inks = append(inks, []string{h.Light, h.Dark}[n])
		}
		for _, g := range grounds {
			for _, i := range inks {
				if c := contrast(g, i); c < 4.5 {
					t.Errorf("%s on %s: %.2f", i, g, c)
				}
			}
		}
	}
	if c := contrast("#000000", "#ffffff"); math.Abs(c-21) > 0.01 {
		t.Errorf("black on white is %.2f", c)
	}
}

// wallText draws a wall of so many monthly series.
func wallText(t *testing.T, series int, terminal bool) string {
	t.Helper()
	cal := workdays.New("weekend", workdays.WeekdaySet(0).With(civil.Saturday).With(civil.Sunday))
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: cal}
	var list []*schedule.Series
	for i := range series {
		s, err := schedule.NewSeries(fmt.Sprint("s", i), fmt.Sprintf("Series <%d>", i), fmt.Sprintf("monthly on %d then roll preceding", 1+i%28), env)
		if err != nil {
			t.Fatal(err)
		}
		list = append(list, s)
	}
	span, _ := env.Fiscal.ParseSpan("2027")
	w, err := schedule.NewWall(list, span, false, env.Fiscal, cal)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	name := "html"
	if terminal {
		name = "table"
	}
	f, _ := FindFormat(name)
	sink, err := f.OpenRows(&b, Options{AsOf: span.First, Width: 120})
	if err == nil {
		err = rows.DisplayOf(sink).DrawWall(w)
	}
	if err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// Each day of a wall says what falls on it: the days read back out of both pictures are
// the dates of the series, moved ones hollow, and no line is wider than the terminal.
func TestWall_titles(t *testing.T) {
	page, text := wallText(t, 30, false), wallText(t, 30, true)
	if strings.Contains(page, "Series <") || strings.Contains(page, "<script") || strings.Contains(page, "http") {
		t.Error("the page has unescaped text, a script, or something from outside")
	}
	titles := regexp.MustCompile(`title="(Series[^"]*)"`).FindAllStringSubmatch(page, -1)
	marks, moved := 0, 0
	for _, m := range titles {
		for _, line := range strings.Split(m[1], "\n") {
			marks++
			if strings.Contains(line, "rolled preceding") {
				moved++
			}
		}
	}
	want := 0
	for month := -1; month < 14; month++ {
		for n := range 30 {
			instant := time.Date(2027, time.Month(month), 1+n%28, 0, 0, 0, 0, time.UTC)
			for instant.Weekday() == time.Saturday || instant.Weekday() == time.Sunday {
				instant = instant.AddDate(0, 0, -1)
			}
			if instant.Year() == 2027 {
				want++
			}
		}
	}
	if marks != want {
		t.Errorf("%d marks on the page, want %d", marks, want)
	}
	hollow := 0
	for n := range 30 {
		sign := signOf(n, true)
		hollow += strings.Count(page, fmt.Sprintf(`<span class="h%d">%s<`, n%len(seriesColors), sign))
		for k := range n {
			if n-k < 26 && (signOf(n, false) == signOf(k, false) || signOf(n, true) == signOf(k, true)) {
				t.Errorf("series %d and %d have one sign", n, k)
			}
		}
	}
	if hollow != moved || moved == 0 {
		t.Errorf("%d hollow signs, %d moved dates", hollow, moved)
	}
	for _, line := range strings.Split(text, "\n") {
		if n := len([]rune(line)); n > 120 {
			t.Errorf("a line of %d: %s", n, line)
		}
	}
	if first := strings.Join(strings.Fields(strings.SplitN(text, "\n", 2)[0]), " "); first != "January 2027 February 2027" {
		t.Errorf("two months with three signs a day don't stand side by side: %s", first)
	}
}
