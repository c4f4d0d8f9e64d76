package office

import (
	"errors"
	"slices"

	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
)

// Check gives every finding of a plan, beside the faults that were collected as it was
// read; released says to look at released dates too.
func Check(p *plan.Plan, c *plan.Collector, window string, released bool) ([]plan.Finding, error) {
	if p.Broken() {
		return c.Findings, nil
	}
	w, err := New(p, Asked{Window: window}, Silent)
	if err != nil {
		var option *rows.OptionError
		if errors.As(err, &option) {
			return nil, err
		}
		c.Add(p.Path, err)
		return c.Findings, nil
	}
	var breaches []plan.Finding
	if released && len(c.Findings) == 0 {
		breaches = w.ledger.findings(w.Span)
	}
	return inOrder(append(c.Findings, w.check(breaches)...)), nil
}

// Strictly makes fails of notes: of all, or with warnings of those that warn.
func Strictly(list []plan.Finding, all, warnings bool) {
	for i, f := range list {
		list[i].Note = f.Note && !all && !(warnings && !f.Wanted)
	}
}

// Count counts the fails and the notes among findings.
func Count(list []plan.Finding) (fails, notes int) {
	for _, f := range list {
		if f.Note {
			notes++
		} else {
			fails++
		}
	}
	return fails, notes
}

// SameID is the finding that a plan has the id of one before it; none if it has its own.
func SameID(p *plan.Plan, before []*plan.Plan) (list []plan.Finding) {
	for _, other := range slices.Backward(before) {
		if other.ID == p.ID {
			return []plan.Finding{{Finding: schedule.Finding{Text: "the id " + p.ID + " is also that of " + other.Path +
				"; ids identify events, so give each plan its own"}, File: p.Path}}
		}
	}
	return nil
}
