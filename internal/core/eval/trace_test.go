package eval_test

import (
	"strings"
	"testing"

	"yoyaku/internal/core/eval"
)

// What is told of a date: each step that changed it, the operand that won, the branch that
// was taken and what it did; nothing where nothing changed.
func TestReasons(t *testing.T) {
	for _, c := range [][5]string{ // phrase, a, b, date, reason
		{"a, roll preceding", "2027-03-13", "", "2027-03-12", "Sat 2027-03-13 is closed (weekend); rolled preceding"},
		{"a, roll preceding", "2027-03-12", "", "2027-03-12", ""},
		{"a, +1 month, roll following", "2027-02-13", "", "2027-03-15", "+1 month; Sat 2027-03-13 is closed (weekend); rolled following"},
		{"a, roll following using shut", "2027-02-10", "", "2027-02-12", "Wed 2027-02-10 is closed (Ropes), as is Thu 2027-02-11 (Nets); rolled following"},
		{"a, roll preceding using shut", "2027-02-11", "", "2027-02-09", "Thu 2027-02-11 is closed (Nets), as is Wed 2027-02-10 (Ropes); rolled preceding"},
		{"later of (a, -2 days) and (b, +1 day)", "2027-03-10", "2027-03-05", "2027-03-08", "the later is a, -2 days"},
		{"later of (a, -2 days) and (b, +1 day)", "2027-03-05", "2027-03-10", "2027-03-11", "the later is b, +1 day"},
		{"earlier of (a, -2 days) and b, roll preceding", "2027-03-15", "2027-03-20", "2027-03-12", "the earlier is a, -2 days; Sat 2027-03-13 is closed (weekend); rolled preceding"},
		{"if a < b then (a, +1 day) else (b, roll following)", "2027-03-01", "2027-03-06", "2027-03-02", "if a < b: a, +1 day"},
		{"if a < b then (a, +1 day) else (b, roll following)", "2027-03-08", "2027-03-06", "2027-03-08", "else: b, roll following; Sat 2027-03-06 is closed (weekend); rolled following"},
		{"none otherwise (a, end of month)", "2027-03-08", "", "2027-03-31", "none is blank: a, end of month"},
		{"a, +0 days", "2027-03-08", "", "2027-03-08", ""},
	} {
		prog, err := eval.Compile(c[0], nil, env)
		if err != nil {
			t.Errorf("%s: %v", c[0], err)
			continue
		}
		n, _ := eval.ParseNumber("2.50")
		var trace []eval.Move
		var v eval.Value
		err = prog.Into([]eval.Value{eval.Day(day(c[1])), eval.Day(day(c[2])), n, {}, {}, {}, {}}, &trace, &v)
		got := eval.Reasons(trace)
		for _, m := range trace {
			if m.Step.Rolls() != (!m.Step.Chose() && strings.HasPrefix(m.Step.Text, "roll ")) {
				t.Errorf("%s: the step %s rolls: %v", c[0], m.Step.Text, m.Step.Rolls())
			}
		}
		if err != nil || v.String() != c[3] || got != c[4] {
			t.Errorf("%s of %s and %s is %s: %q, %v; want %s: %q", c[0], c[1], c[2], v, got, err, c[3], c[4])
		}
	}
}
