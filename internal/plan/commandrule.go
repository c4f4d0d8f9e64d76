package plan

import (
	"errors"
	"fmt"
	"slices"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

// AddRules adds series that a command names for itself, each as NAME = RULE: they may look into
// those of the plan and those before them.
func (p *Plan) AddRules(texts []string) error {
	for _, text := range texts {
		name, rule, err := rows.SplitAdd(text)
		if err != nil {
			return fmt.Errorf("expected NAME = RULE, such as 'wages = fortnightly on fri from 2027-01-08', found %q", text)
		}
		if err := p.checkRuleName(name); err != nil {
			return err
		}
		s, err := schedule.NewSeries(name, "", rule, p.Env)
		if err != nil {
			var of *phrase.Error
			if errors.As(err, &of) && of.UnknownName != "" {
				of.Hint = "a rule may name series, but no columns"
			}
			return err
		}
		p.addSeriesRead(s)
		p.CommandRules = append(p.CommandRules, name)
	}
	return nil
}

// checkRuleName refuses a name that is another thing's.
func (p *Plan) checkRuleName(name string) error {
	if err := schedule.CheckName(name); err != nil {
		return err
	}
	what := ""
	switch {
	case slices.ContainsFunc(p.CommandRules, func(n string) bool { return phrase.NamesEqual(n, name) }):
		what = "a rule before it"
	case p.FindSeries(name) != nil:
		what = "a series of the plan"
	}
	if what != "" {
		return fmt.Errorf("`%s` is %s; give the rule another name", name, what)
	}
	return nil
}
