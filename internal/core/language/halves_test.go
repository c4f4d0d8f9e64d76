package language

import "testing"

// TestCutHalf reads the half of a day behind dates: words in eight languages, times, and what only
// looks like one.
func TestCutHalf(t *testing.T) {
	for _, c := range []struct {
		text, date string
		half       HalfDay
		minutes    int // of a time; -1 for none
	}{
		{"2027-06-01", "2027-06-01", WholeDay, -1}, {"2027-06-01 PM", "2027-06-01", Afternoon, -1}, {" 1 Jun 2027 am ", "1 Jun 2027", Morning, -1},
		{"1 juin 2027 (matin)", "1 juin 2027", Morning, -1}, {"1.6.2027, nachmittags", "1.6.2027", Afternoon, -1}, {"1.6.2027 – VORMITTAG", "1.6.2027", Morning, -1},
		{"1/6/27 apres-midi", "1/6/27", Afternoon, -1}, {"1 de junio de 2027 mañana", "1 de junio de 2027", Morning, -1}, {"1 giugno 2027 pomeriggio", "1 giugno 2027", Afternoon, -1},
		{"1 juni 2027 ochtend", "1 juni 2027", Morning, -1}, {"1.06.2027 po poludniu", "1.06.2027", Afternoon, -1}, {"1.06.2027 rano", "1.06.2027", Morning, -1},
		{"2027-06-01 em", "2027-06-01", Afternoon, -1}, {"2027-06-01 P.M.", "2027-06-01", Afternoon, -1}, {"07/06/2027 (half day)", "07/06/2027", EitherHalf, -1},
		{"07/06/2027 ½", "07/06/2027", EitherHalf, -1}, {"07/06/2027 (½)", "07/06/2027", EitherHalf, -1}, {"07/06/2027(0.5)", "07/06/2027", EitherHalf, -1},
		{"2027-06 0.5h", "2027-06 0.5h", WholeDay, -1}, {"2027-06-01 soon", "2027-06-01 soon", WholeDay, -1}, {"tomorrow pm", "tomorrow", Afternoon, -1},
		{"(pm)", "(pm)", WholeDay, -1}, {"        (pm)", "(pm)", WholeDay, -1}, {"1 am", "1 am", WholeDay, -1},
		{"2027-06-01T12:00", "2027-06-01T12:00", Noon, 720}, {"2027-06-01 12:00:00.000", "2027-06-01 12:00:00.000", Noon, 720}, {"2027-06-01T12:00:30Z", "2027-06-01T12:00:30Z", OtherTime, 720},
		{"1/6/2027 12:00 PM", "1/6/2027 12:00 PM", Noon, 720}, {"1/6/2027 12:00 am", "1/6/2027 12:00 am", WholeDay, 0}, {"1/6/2027 1:30 p.m.", "1/6/2027 1:30 p.m.", OtherTime, 810},
		{"2027-06-01T00:00", "2027-06-01T00:00", WholeDay, 0}, {"2027-06-01T9:05", "2027-06-01T9:05", OtherTime, 545}, {"2027-06-01 12:00+01:00", "2027-06-01 12:00+01:00", Noon, 720},
		{"2027-06-01 24:30", "2027-06-01 24:30", WholeDay, -1}, {"2027-06-01 123:45", "2027-06-01 123:45", WholeDay, -1}, {"2027-06-01 9:5", "2027-06-01 9:5", WholeDay, -1}, {"31 January 2027 23:59", "31 January 2027 23:59", OtherTime, 1439},
		{"room:12:00 1.6.2027", "room:12:00 1.6.2027", WholeDay, -1},
	} {
		date, half := CutHalf(c.text)
		if date != c.date || half != c.half {
			t.Errorf("%q: %q, %v, want %q, %v", c.text, date, half, c.date, c.half)
		}
		if minutes, _, ok := TimeIn(c.text); ok != (c.minutes >= 0) || ok && minutes != c.minutes {
			t.Errorf("%q is at %d, %v, want %d", c.text, minutes, ok, c.minutes)
		}
		if begins := map[HalfDay]int{Afternoon: 720, Noon: 720}[half]; half.Minutes() != begins {
			t.Errorf("%v begins at %d", half, half.Minutes())
		}
	}
}

// TestParseTerm_faults: what is no term, and what is none exactly.
func TestParseTerm_faults(t *testing.T) {
	for text, want := range map[string]string{"": ErrNotTerm.Error(), "P": ErrNotTerm.Error(), "PT2H": ErrNotTerm.Error(), "P1H": ErrNotTerm.Error(), "P1YT": ErrNotTerm.Error(), "1 year 6": ErrNotTerm.Error(), "years": ErrNotTerm.Error(),
		"1 fathom": ErrNotTerm.Error(), "1.0000000001 years": ErrNotTerm.Error(), "1234567890 days": `"1234567890 days" is longer than any calendar`, "999999999 days": `"999999999 days" is longer than any calendar`,
		"1,500 days": `"1,500 days": the comma could stand before decimals or behind thousands`, "1 month 1 year": `"1 month 1 year": joined units stand largest first, each once`, "1 day 1 day": `"1 day 1 day": joined units stand largest first, each once`,
		"24m": `"24m": a lone m is too little to be sure that it means months; write mths`, "3 j": "\"3 j\": `j` is different units in de and fr", "5 Werktage": `"5 Werktage": no cell has working days; the phrase says them, and the cell holds the number alone`} {
		if term, err := ParseTerm(text, nil, false); err == nil || err.Error() != want {
			t.Errorf("%q: %+v, %v, want %s", text, term, err, want)
		}
	}
	for text, want := range map[string]int{"24m": 24, "1y 6m": 18, "1,50 ans": 18, "4000000 mths": 4_000_000} {
		if term, err := ParseTerm(text, nil, text == "24m"); err != nil || term.Months != want || !term.HasMonths || term.HasDays {
			t.Errorf("%q: %+v, %v, want %d months", text, term, err, want)
		}
	}
	french, _ := Find("fr")
	if term, err := ParseTerm("1 an 3 j", french, false); err != nil || term != (Term{12, 3, true, true}) {
		t.Errorf("1 an 3 j: %+v, %v", term, err)
	}
}
