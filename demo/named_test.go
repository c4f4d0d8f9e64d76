package demo

import "testing"

func TestNames(t *testing.T) {
	for name, want := range map[string]string{"crew.csv": "file", "skerry.ics": "file", "isles": "calendar", "crew-pay": "series",
		"wages": "pattern", "absences": "record", "ansa": "person", "closed": "", "england-wales": "", "yoyaku.yaml": "", "bank-file": ""} {
		if got := Kind(name); got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	text := "  yoyaku due crew.csv \\\n    --date born\n  yoyaku dates \"monthly on last\"\n  yoyaku wall crew-pay"
	want := "  yoyaku dates \"monthly on last\"\n\n  In the demo folder (yoyaku demo, then cd skerry-demo):\n  yoyaku due crew.csv \\\n    --date born\n  yoyaku wall crew-pay"
	if got := Examples(text); got != want {
		t.Errorf("examples:\n%s", got)
	}
	for text, want := range map[string]string{"unknown calendar `isles`; the calendars are x": "calendar", "unknown series `wages`": "pattern",
		"crew.csv: no such file or folder": "file", "unknown series `pays`": "", "crews.csv: no such file or folder": ""} {
		if got := Hint(text); (got != "") != (want != "") {
			t.Errorf("%s: %q", text, got)
		}
	}
}
