package eval_test

import (
	"strings"
	"testing"

	"yoyaku/internal/golden"

	"yoyaku/internal/core/eval"
)

// What is reckoned from a date beyond what a calendar knows is as unsure as that, whichever
// operand it was and whatever steps follow.
func TestProvisionalIsKept(t *testing.T) {
	for phrase, of := range map[string]string{"a": "a", "a, +1 day": "a", "a otherwise b": "a", "(a otherwise b), +1 day": "a", "none otherwise b, +1 day": "b", "(none otherwise b), +1 day": "b", "later of a and b": "ab", "(earlier of a and b), end of month": "ab",
		"if n > 2 then a else b": "a", "(if n > 3 then a else b), +1 week": "b", "(if n > 3 then a else b), at 09:00": "b", "a, anniversary on or after b": "ab", "2027-01-01, +n days": ""} {
		prog, err := eval.Compile(strings.ReplaceAll(phrase, "+n days", "+2 days"), nil, env)
		if err != nil {
			t.Fatal(phrase, err)
		}
		for _, unsure := range []string{"a", "b"} {
			n, _ := eval.ParseNumber("2.50")
			row := []eval.Value{eval.Day(day("2027-01-10")), eval.Day(day("2027-02-20")), n, {}, {}, {}, {}}
			row[strings.Index("ab", unsure)].Provisional = true
			v, err := prog.Eval(row)
			if err != nil || v.Provisional != strings.Contains(of, unsure) {
				t.Errorf("%s, %s unsure: %s %v %v", phrase, unsure, v, v.Provisional, err)
			}
		}
	}
}

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
		err = prog.EvalInto([]eval.Value{eval.Day(day(c[1])), eval.Day(day(c[2])), n, {}, {}, {}, {}}, &trace, &v)
		got := eval.Reasons(trace)
		for _, m := range trace {
			if m.Step.IsRoll() != (!m.Step.IsChoice() && strings.HasPrefix(m.Step.Text, "roll ")) {
				t.Errorf("%s: the step %s rolls: %v", c[0], m.Step.Text, m.Step.IsRoll())
			}
		}
		if err != nil || v.String() != c[3] || got != c[4] {
			t.Errorf("%s of %s and %s is %s: %q, %v; want %s: %q", c[0], c[1], c[2], v, got, err, c[3], c[4])
		}
	}
}
