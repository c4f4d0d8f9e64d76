package schedule

import (
	"fmt"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// Proof is something that was expected of a series, and how it was met.
type Proof struct {
	Expected, Found string
	Passed          bool
}

// proofs are what is expected of a series in a window and how that is met, from what Check
// saw.
func (s *Series) proofs(window civil.Span) ([]Proof, error) {
	c, err := s.checked(window)
	if err != nil {
		return nil, err
	}
	return c.proofs, nil
}

// addProof keeps how an expectation was met, unless fails that were told since say that it
// wasn't.
func (c *checker) addProof(fails int, expected, format string, args ...any) {
	met := true
	for _, f := range c.list[fails:] {
		met = met && f.IsNote
	}
	c.proofs = append(c.proofs, Proof{expected, fmt.Sprintf(format, args...), met})
}

// WallPart is what stands on paper of its own behind the months of a wall.
type WallPart struct {
	Plan, Title string // the plan, and what it is
	Columns     []string
	Rows        [][]eval.Value
	EmptyText   string // what is said if there are no rows
	Lines       []string
}

// withRows is a part with the rows of a table.
func (p WallPart) withRows(columns []string, lines Lines) (WallPart, error) {
	p.Columns = columns
	for cells, err := range lines {
		if err != nil {
			return p, err
		}
		p.Rows = append(p.Rows, append([]eval.Value(nil), cells...))
	}
	return p, nil
}

// WallTable is the wide table of a series.
func WallTable(s *Series, span civil.Span) (WallPart, error) {
	columns, lines := OccurrenceTable(s, span)
	return WallPart{Title: s.Title, EmptyText: "No dates in these months."}.withRows(columns, lines)
}

// WallHolidays are the closed days of a calendar by name, and its short ones.
func WallHolidays(cal *workdays.Calendar, span civil.Span) (WallPart, error) {
	columns, lines := Holidays(cal, span)
	return WallPart{Title: "Closed days of " + cal.Name, EmptyText: "No holidays in these months."}.withRows(columns, lines)
}

// WallMoved are the dates of series that moved, with their reasons.
func WallMoved(list []*Series, span civil.Span) (WallPart, error) {
	entries, _, err := Entries(list, span)
	p := WallPart{Title: "Dates that moved", EmptyText: "No dates moved.",
		Columns: []string{"date", "weekday", "title", "nominal", "reason"}}
	for _, e := range entries {
		if e.What == "date" && e.Occurrence.isMoved() {
			p.Rows = append(p.Rows, []eval.Value{e.At, WeekdayOf(e.At), eval.Str(e.Series.Title), eval.Day(e.Occurrence.Date.Date),
				eval.Str(e.Reason())})
		}
	}
	return p, err
}

// WallProofs are what was expected of series, and how it was met.
func WallProofs(list []*Series, span civil.Span) (WallPart, error) {
	p := WallPart{Title: "What was checked", EmptyText: "These series have no expectations.",
		Columns: []string{"title", "expected", "found", "met"}}
	for _, s := range list {
		proofs, err := s.proofs(span)
		if err != nil {
			return p, err
		}
		for _, x := range proofs {
			met := "yes"
			if !x.Passed {
				met = "no"
			}
			p.Rows = append(p.Rows, []eval.Value{eval.Str(s.Title), eval.Str(x.Expected), eval.Str(x.Found), eval.Str(met)})
		}
	}
	return p, nil
}

// WallReleased are dates that were released and still hold, with who released them.
func WallReleased(rows []Released, title func(series string) string, span civil.Span) WallPart {
	p := WallPart{Title: "What is released", EmptyText: "No dates of these months are released.",
		Columns: []string{"date", "weekday", "title", "what", "released_on", "by", "note"}}
	for _, r := range rows {
		if r.IsCurrent() && span.Contains(r.At.Day) {
			p.Rows = append(p.Rows, []eval.Value{r.At, WeekdayOf(r.At), eval.Str(title(r.Series)), eval.Str(r.What),
				eval.Day(r.ReleasedOn), eval.Str(r.By), eval.Str(r.Note)})
		}
	}
	return p
}

// countSummary is how many dates periods have, by what was expected: 2027: 24, 2028: 25.
type countSummary struct {
	words   []string
	parts   map[string][]string
	uniform map[string]int // the number that all have, or below 0
}

// add keeps the number of a period for which so many were expected.
func (c *countSummary) add(want Bounds, period string, n int) {
	if c.parts == nil {
		c.parts, c.uniform = map[string][]string{}, map[string]int{}
	}
	words := want.String()
	if c.parts[words] == nil {
		c.words, c.uniform[words] = append(c.words, words), n
	}
	if c.uniform[words] != n {
		c.uniform[words] = -1
	}
	c.parts[words] = append(c.parts[words], fmt.Sprintf("%s: %d", period, n))
}

// proveCounts keeps what was counted.
func (c *checker) proveCounts(fails int, key string, seen countSummary) {
	for _, words := range seen.words {
		parts := seen.parts[words]
		if n := seen.uniform[words]; n >= 0 && len(parts) > 4 {
			parts = []string{fmt.Sprintf("%d in each of %d", n, len(parts))}
		}
		c.addProof(fails, key+": "+words, "%s", strings.Join(parts, ", "))
	}
}

// proveEach keeps for how many dates a condition holds.
func (c *checker) proveEach(fails int, text string, of, blank int) {
	found := "holds for " + phrase.Plural(of, "date")
	if n := len(c.list) - fails; n > 0 {
		found = fmt.Sprintf("fails for %d of %s", n, phrase.Plural(of, "date"))
	}
	if blank > 0 {
		found += fmt.Sprintf(", blank for %d of them", blank)
	}
	c.addProof(fails, text, "%s", found)
}
