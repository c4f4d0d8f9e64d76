package declare

import (
	"errors"
	"slices"
	"testing"

	"yoyaku/internal/core/eval"
)

// What a flag's text becomes, and what is wrong with it.
func TestKey_Set(t *testing.T) {
	var text string
	var list, bands []string
	var yes bool
	var n int
	flags := func() []*Key {
		return []*Key{
			{Name: "how", Value: Choice("stop", "merge").Into(&text), Default: "stop"},
			{Name: "sort", Value: Column.List(&list), Default: "a,b"},
			{Name: "bands", Value: Days.List(&bands)},
			{Name: "raw", Value: Bool.Into(&yes), Conflicts: []string{"at-once"}},
			{Name: "at-once", Value: Number(1, 16).Into(&n), Requires: []string{"how", "sort"}},
		}
	}
	for _, c := range []struct {
		said [][2]string
		want string
	}{
		{nil, ""},
		{[][2]string{{"how", "MERGE"}, {"sort", "x,y"}, {"sort", "z"}, {"raw", "no"}, {"at-once", "3"}}, ""},
		{[][2]string{{"how", "x"}}, `how: expected stop or merge, found "x"`},
		{[][2]string{{"how", "stop"}, {"how", "stop"}}, "how was given twice"},
		{[][2]string{{"raw", "x"}}, `raw: expected yes or no, found "x"`},
		{[][2]string{{"at-once", "17"}}, `at-once: expected a whole number from 1 to 16, found "17"`},
		{[][2]string{{"at-once", "3"}}, "at-once needs `how` or `sort`"},
		{[][2]string{{"sort", "x"}, {"at-once", "3"}, {"raw", "yes"}}, "raw can't be combined with `at-once`"},
		{[][2]string{{"bands", "9,3"}}, `bands: expected rising numbers of days other than 0, such as 30,60,90 or -30,30, found "9,3"`},
	} {
		all := flags()
		for _, k := range all {
			k.Reset()
		}
		var err error
		for _, s := range c.said {
			err = errors.Join(err, Find(all, s[0]).Set(s[1]))
		}
		for _, k := range all {
			if err == nil {
				err = k.Check(eval.Env{})
			}
		}
		if err == nil {
			err = CheckCombination(all)
		}
		if got := ""; err != nil && err.Error() != c.want || err == nil && c.want != got {
			t.Errorf("%v: %v, want %s", c.said, err, c.want)
		}
		if c.want == "" && c.said == nil && (text != "stop" || !slices.Equal(list, []string{"a", "b"})) {
			t.Errorf("defaults: %s %v", text, list)
		}
		if c.want == "" && c.said != nil && (text != "merge" || !slices.Equal(list, []string{"x", "y", "z"}) || yes || n != 3) {
			t.Errorf("set: %s %v %v %d", text, list, yes, n)
		}
	}
}
