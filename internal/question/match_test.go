package question_test

import "testing"

func TestMatch(t *testing.T) {
	answers(t, []answerOf{
		// declared dates are dates wherever they stand
		{"match|-|RANGES", "who,d\n007,2027-01-15\n7,2027-01-15\n007,2030-01-01\n007,\n", "key=who date=d start=a end=b columns=who,role", "who,role|007,pilot|7,|007,master|007,", "1 row of - falls into no range|1 row of - without a date"},
		{"match|-|RANGES", "day,who\n2027-01-15 00:00:00,x\n", "key=day=a date=day start=a end=b columns=role", "role|\"\"", ""},
		// messy sheets
		{"match|-|RANGES", "person,d\n007,2027-01-15\n", "rename=who=person;key=who;date=d;start=a;end=b;columns=role", "role|pilot", ""},
		{"match|-|RANGES", "who,d\n007,2027-01-15\n", "rename=x=nobody;key=who;date=d;start=a;end=b", "unknown column `nobody`", ""},
		// nothing is passed over in silence
		{"match|-|RANGES", "who,d\n007,2027-01-15\n", "key=who;date=d;start=a;end=b;sheet=Foo", "no workbook", ""},
	})
}
