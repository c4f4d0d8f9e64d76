package question

import (
	"errors"
	"io"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
	"yoyaku/internal/tabular"
)

var errNoIdentity = errors.New("the rows of this table have no identity")

// ReadSnapshot reads who is when out of an output of a plan: the events of a
// calendar file by their UID, the rows of a table by series, what and id.
func ReadSnapshot(name, format string, r io.Reader) (schedule.Snapshot, error) {
	if format == "ics" {
		return ical.Starts(r)
	}
	table, err := tabular.Input{}.Read(name, "."+format, r)
	if err != nil {
		return nil, err
	}
	who, at := []int{}, []int{}
	for i, c := range table.Columns() {
		switch name := phrase.FoldName(c); name {
		case "id", "series", "what":
			who = append(who, i)
		case "reason", "nominal", "title", "weekday", "period start", "period end":
		default:
			if !strings.HasSuffix(name, " weekday") {
				at = append(at, i)
			}
		}
	}
	if len(who) == 0 {
		return nil, errNoIdentity
	}
	join := func(cells []eval.Value, slots []int) string {
		var b strings.Builder
		for _, i := range slots {
			b.WriteString(eval.KeyOf(cells[i]) + "\x00")
		}
		return b.String()
	}
	s := schedule.Snapshot{}
	for {
		batch, err := table.Next()
		if err != nil || batch == nil {
			return s, err
		}
		if err := batch.Each(func(_ int, cells []eval.Value) error {
			s[join(cells, who)] = join(cells, at)
			return nil
		}); err != nil {
			return nil, err
		}
	}
}
