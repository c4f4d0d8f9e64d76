package workflow

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
	if p.IsBroken() {
		return c.Findings, nil
	}
	s, err := newSession(p, Request{Window: window}, noReports)
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
		breaches = s.ledger.findings(s.Span)
	}
	return sortFindings(append(c.Findings, s.allFindings(breaches)...)), nil
}

// PromoteNotes makes failures of notes: of all, or with warnings of those that nobody intended.
func PromoteNotes(list []plan.Finding, all, warnings bool) {
	for i, f := range list {
		list[i].IsNote = f.IsNote && !all && !(warnings && !f.Intended)
	}
}

// CountFindings counts the fails and the notes among findings.
func CountFindings(list []plan.Finding) (fails, notes int) {
	for _, f := range list {
		if f.IsNote {
			notes++
		} else {
			fails++
		}
	}
	return fails, notes
}

// DuplicateID is the finding that a plan has the id of one before it; none if it has its own.
func DuplicateID(p *plan.Plan, before []*plan.Plan) (list []plan.Finding) {
	for _, other := range slices.Backward(before) {
		if other.ID == p.ID {
			return []plan.Finding{{Finding: schedule.Finding{Text: "the id " + p.ID + " is also that of " + other.Path +
				"; ids identify events, so give each plan its own"}, File: p.Path}}
		}
	}
	return nil
}
