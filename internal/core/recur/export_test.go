package recur_test

import (
	"strings"
	"testing"

	"yoyaku/internal/golden"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Phrases and the RFC 5545 rules that say exactly the same, or why none does.
func TestExport(t *testing.T) {
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: workdays.New("plain", workdays.Weekend)}
	env.Fiscal.FiscalMonth = 9
	for _, c := range golden.Cases(t, "testdata/export.cases", 2) {
		rec, err := eval.CompileRule(c[0], env)
		if err != nil {
			t.Errorf("%s: %v", c[0], err)
			continue
		}
		rule, _, why := rec.Rule.Export()
		if c[1][0] >= 'A' && c[1][0] <= 'Z' && strings.Contains(c[1], "=") {
			if rule == nil || rule.String() != c[1] {
				t.Errorf("%s is %v (%s), want %s", c[0], rule, why, c[1])
			}
		} else if rule != nil || !strings.Contains(why, c[1]) {
			t.Errorf("%s is %v (%s), want %s", c[0], rule, why, c[1])
		}
	}
}
