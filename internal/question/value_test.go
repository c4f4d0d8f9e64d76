package question_test

import "testing"

func TestValue(t *testing.T) {
	answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is told whatever asks
		{"value|2029-12-25, roll following", "", "@england-wales", "2029-12-27", "england-wales knows no holidays after 2028-12-31, and 1 date lies"},
		{"value|2027-12-25, roll following", "", "@england-wales", "2027-12-29", "-"},
		{"value|2027-12-25, roll following", "", "", "2027-12-27", "counted without a calendar"},
		{"value|2027-12-25, +1 month", "", "", "2028-01-25", "-"},
		// words
		{"value|foo", "", "", "no names stand for anything here", ""},
	})
}
