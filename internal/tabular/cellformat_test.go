package tabular

import (
	"fmt"
	"maps"
	"strings"
	"testing"

	"yoyaku/internal/core/eval"
)

// How numbers are shown says whether they are days or times, and a form stays that of its
// format however many there are.
func TestCellFormats(t *testing.T) {
	for code, want := range map[string]string{
		"yyyy-mm-dd": "days", "dd/mm/yyyy hh:mm": "days times", "hh:mm": "times", "[h]:mm": "times elapsed", "[mm]:ss": "times elapsed", "[SS]": "times elapsed",
		"0.00": "", "": "", `"day" 0`: "", `0\d`: "", `0_d`: "", `*d0`: "", "[Red]0": "", "[>100]0": "", "[$-809]d mmm": "days", "[Red]h": "times", `"h"0;"\"d`: "days", // no escape within quotes
		"mmm": "", "S": "times", "D": "days", "[": "", "[]0": "",
	} {
		s := numberFormat{code: code}
		days, times, elapsed := s.displayKinds()
		got := strings.TrimSpace(map[bool]string{true: "days "}[days] + map[bool]string{true: "times "}[times] + map[bool]string{true: "elapsed"}[elapsed])
		if got != want {
			t.Errorf("%q shows %q, want %q", code, got, want)
		}
	}
	kinds := ""
	for id := range 60 { // ECMA-376, 18.8.30, and those of some languages
		days, times, _ := numberFormat{id: id}.displayKinds()
		kinds += string(".dtb"[map[[2]bool]int{{true, false}: 1, {false, true}: 2, {true, true}: 3}[[2]bool{days, times}]])
	}
	if want := "..............ddddttttb....dddddttttd........ttt..dddddttdd."; kinds != want {
		t.Errorf("the formats with a number are %s, want %s", kinds, want)
	}
	for id := range 60 {
		if _, _, elapsed := (numberFormat{id: id}).displayKinds(); elapsed != (id == 46) {
			t.Errorf("format %d shows hours beyond a day: %v", id, elapsed)
		}
	}
	percent := numberFormat{id: 9}.form()
	for _, v := range []eval.Value{eval.TypedNumber("0.05", 0.05, percent), eval.TypedNumber("09:15", 0.385, numberFormat{id: 20}.form()), eval.Str("0.05"), {Kind: eval.Text, Text: "7", Format: eval.TextFormat}, eval.Int(7)} {
		n, typed := v.Typed()
		if number := v.Kind == eval.Number || typed && v.Text == "0.05"; v.IsNumber() != number || typed != (n != 0) {
			t.Errorf("%q is a number: %v, typed %v, %v", v, v.IsNumber(), n, typed)
		}
	}
	old := numberFormat{from1904: true}.form()
	for s, f := range map[numberFormat]eval.CellFormat{{id: 9}: percent, {}: eval.PlainFormat, {from1904: true}: old, {code: "0.0"}: eval.DecimalFormat(1), {code: "0.0000000000"}: eval.DecimalFormat(eval.MaxDecimals)} {
		if formatOf(f) != s {
			t.Errorf("the form %d shows %+v, want %+v", f, formatOf(f), s)
		}
	}
	if percent == (numberFormat{id: 9, from1904: true}).form() || percent != (numberFormat{id: 9}).form() || formatOf(eval.TextFormat) != (numberFormat{}) || eval.FirstCustomFormat.Places()+eval.PlainFormat.Places() != 0 {
		t.Error("forms aren't kept apart")
	}
	list, at := knownFormats.list, maps.Clone(knownFormats.at)
	defer func() { knownFormats.list, knownFormats.at = list, at }()
	for n := range maxFormats + 100 { // a hostile book has more than there is room for
		s := numberFormat{code: fmt.Sprint("0_", n), from1904: n%2 == 0}
		if f := s.form(); formatOf(f) != s && (n < maxFormats-1000 || f != map[bool]eval.CellFormat{true: old, false: eval.PlainFormat}[s.from1904]) {
			t.Fatalf("format %d is shown as %+v", n, formatOf(f))
		}
	}
}
