package query_test

import "testing"

func TestWhy(t *testing.T) {
	answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is reported, whatever asks
		{"why|roll following", "", "@england-wales base=2029-12-25 columns=date", "date|2029-12-25|2029-12-27", "1 date may move"},
		// nothing is passed over in silence
		{"why|monthly on 1|2027-01-01", "", "base=2027-01-01", "a series, record or rule has its own dates", ""},
		{"why|pay", "", "", "unknown series `pay`", ""},
	})
}
