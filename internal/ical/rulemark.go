package ical

import (
	"slices"
	"strings"

	"yoyaku/internal/core/schedule"
)

// RulePlan is the plan, by the end of its UIDs, of events of rules alone.
const RulePlan = "yoyaku"

// ruleMark is the mark of the rule alone that an event was made from; "" for none.
func (b *rawComponent) ruleMark() string { return b.contentLines().propertyValue(ruleProperty) }

// withRuleMark is a component with the mark of a rule alone; "" for none.
func (k *componentLines) withRuleMark(mark string) *componentLines {
	merged := &componentLines{name: k.name, lines: slices.DeleteFunc(slices.Clone(k.lines), func(line string) bool {
		return propertyName(line) == ruleProperty
	})}
	if mark != "" {
		merged.appendLines(ruleProperty + ":" + mark)
	}
	return merged
}

// RuleSeries is the name that the series of a rule alone has in the earlier file, so that its
// events stay the same under another title: that of events which still take place before that of
// cancelled ones, then the series' own. It is the series' own where the file has none of the rule.
func (f *Update) RuleSeries(s *schedule.Series) string {
	name, best := s.Name, 0
	for i := range f.blocks {
		b := &f.blocks[i]
		if !b.isEventOrTodo() || !strings.HasSuffix(b.uid, "@"+RulePlan) {
			continue
		}
		series := b.uid[:strings.IndexAny(b.uid, ".@")]
		rank := 1
		if !b.cancelled {
			rank += 2
		}
		if series == s.Name {
			rank++
		}
		if rank > best && b.isOfRule(s, series) {
			name, best = series, rank
		}
	}
	return name
}

// isOfRule reports whether an event is of a rule alone: by its mark or, of one that was written
// before there were marks, by its UID, reckoned again with its summary as the title.
func (b *rawComponent) isOfRule(s *schedule.Series, series string) bool {
	if mark := b.ruleMark(); mark != "" {
		return mark == s.RuleMark
	}
	summary := strings.Join(splitTextList(b.contentLines().propertyValue("SUMMARY")), ",")
	_, what, _ := splitUID(b.uid)
	for _, title := range []string{summary, strings.TrimSuffix(summary, ": "+what), ""} {
		if s.RuleName(title) == series {
			return true
		}
	}
	return false
}
