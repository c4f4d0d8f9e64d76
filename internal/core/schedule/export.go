package schedule

import (
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
)

// exportRule is the RFC 5545 rule of the nominal dates, before leaving out and plus;
// if there is none, why says the reason.
func exportRule(r *eval.Recurrence) (rule *recur.RRule, start civil.Date, why string) {
	if node, err := phrase.ParseRule(r.Text); err == nil && node.RRule != nil {
		return node.RRule, r.Rule.From, ""
	}
	return r.Rule.Export()
}

// ExportProperties says a recurrence as RFC 5545 properties, in pairs of part and
// text; or why RFC 5545 can't say it.
func ExportProperties(r *eval.Recurrence) [][2]string {
	rule, start, why := exportRule(r)
	steps := r.Chain.Steps
	if rule == nil {
		return [][2]string{{"RRULE", "there is no exact RRULE, because " + why}}
	}
	var list [][2]string
	name := "RRULE"
	if len(steps) > 0 {
		list = append(list, [2]string{"RRULE", "there is no exact RRULE, because a rule there can't move its dates (" +
			steps[0].Text + ")"})
		name = "RRULE of the nominal dates"
	}
	list = append(list, [2]string{name, rule.String()})
	if start != civil.None {
		list = append(list, [2]string{"DTSTART", basicDate(start)})
	}
	out, whole := r.Rule.ExcludedDates()
	if !whole {
		return [][2]string{{"RRULE",
			"there is no exact RRULE, because days are left out without end; `until` ends them"}}
	}
	for _, p := range []struct {
		name string
		days []civil.Date
	}{{"EXDATE", out}, {"RDATE", r.Rule.Include}} {
		if len(p.days) > 0 {
			var s []string
			for _, d := range p.days {
				s = append(s, basicDate(d))
			}
			list = append(list, [2]string{p.name, strings.Join(s, ",")})
		}
	}
	return list
}

func basicDate(d civil.Date) string { return strings.ReplaceAll(d.String(), "-", "") }
