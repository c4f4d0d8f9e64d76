package schedule

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// Column is the dates of a series, or those of one of its milestones.
type Column struct {
	Series *Series
	What   string // "date", or the milestone
}

// Name is the series, and the milestone behind a point.
func (c Column) Name() string {
	if c.What == "date" {
		return c.Series.Name
	}
	return c.Series.Name + "." + c.What
}

// Coincidences finds the days in a window on which two of several columns have a date.
func Coincidences(list []Column, window civil.Span) (found []Finding, err error) {
	var series []*Series
	for _, c := range list {
		if !slices.Contains(series, c.Series) {
			series = append(series, c.Series)
		}
	}
	entries, _, err := Entries(series, window)
	if err != nil {
		return nil, err
	}
	n, on := 0, map[civil.Date]int{}
	for _, e := range entries {
		i := slices.Index(list, Column{e.Series, e.What})
		if i < 0 {
			continue
		}
		other, met := on[e.At.Day]
		if !met || other == i {
			on[e.At.Day] = i
			continue
		}
		if n++; n > maxListedAlike {
			continue
		}
		first, then := list[min(i, other)].Name(), list[max(i, other)].Name()
		found = append(found, Finding{Subject: first + ", " + then, At: eval.Day(e.At.Day),
			Text: fmt.Sprintf("%s and %s fall on the same day but must stay apart", first, then)})
	}
	if n > maxListedAlike {
		found[maxListedAlike-1] = Finding{Subject: found[maxListedAlike-1].Subject, Text: fmt.Sprintf("and %d more dates on one day that must stay apart", n-maxListedAlike+1)}
	}
	return found, nil
}
