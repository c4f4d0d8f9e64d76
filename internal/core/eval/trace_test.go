package eval_test

import (
	"strings"
	"testing"

	"yoyaku/internal/golden"

	"yoyaku/internal/core/eval"
)

// What is reported about a date: each step that changed it, the operand that won, the branch that
// was taken and what it did; nothing if nothing changed.
func TestReasons(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/reasons.cases", 5) {
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
