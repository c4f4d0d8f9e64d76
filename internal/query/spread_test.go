package query_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestSpread(t *testing.T) {
	answers(t, casesIn(t, "testdata/spread.cases"))
}

// Rows that become others on all processors are those that they become one after the other, and
// the same is told of them.
func TestSpreadOnAllProcessors(t *testing.T) {
	var b strings.Builder
	b.WriteString("id,start,end,amount,site,rule,note\n")
	for i := range 1200 {
		start, end := fmt.Sprintf("2027-%02d-%02d", i%12+1, i%28+1), fmt.Sprintf("20%d-%02d-%02d", 28+i%2, i%12+1, i%27+1)
		switch i % 199 {
		case 5:
			start = ""
		case 6:
			end = ""
		case 7:
			start, end = "2027-06-01", ""
		case 8:
			start, end = end, start
		case 9:
			start = "soon"
		}
		rule := []string{"monthly on 1", "monthly on 15 from start 3 times", "quarterly on last until end", "", "monthly on 31 then roll following using scotland", "weekly on fri from 2027-01-01 5 times"}[i%6]
		fmt.Fprintf(&b, "%d,%s,%s,%d.%02d,%s,%s,\"a \"\"b\"\", %d and %s\"\n", i, start, end, i, i%100,
			[]string{"scotland", "england-wales", "", "scotland + poland", "nowhere"}[min(i%7, 3+i%103/102)], rule, i, strings.Repeat("much is noted of it; ", 10))
	}
	table, aside := b.String(), []string{"bad-rows=aside=bad.csv"}
	for _, c := range []struct {
		options string
		told    string // in what is told beside the rows
	}{
		{"start=start|end=end|by=month", "rows have no start"},
		{"start=start|end=end, +1 month|by=monthly on 20 from 2027-02-01 9 times", "days are in no period"},
		{"start=start|end=end|by=monthly on 20 from 2027-01-20 50 times then roll following using scotland", "scotland are unknown after 2028-12-31; 13 dates may move"},
		{"start=start|end=end|by=quarter|share=amount|share-by=working days|balance=yes|calendar=(site)", "cells that should name a calendar are blank"},
		{"start=start|end=end|by=day|window=2027-06-01..2027-06-20|working=yes|open-through=window", "open ranges run through 2027-06-20"},
		{"dates=rule in rule|window=2027|calendar=(site)", "open ranges run through"},
		{"dates=rule in rule|window=2028..2029", "scotland are unknown after 2028-12-31; 13 dates may move"},
		{"dates=monthly from start 4 times|share=amount|balance=yes", ""},
	} {
		options := append(strings.Split(c.options, "|"), aside...)
		var got [2][3]string
		for i := range got {
			a := asked{dir: t.TempDir(), format: "csv"}
			kept := options[:0:0]
			for _, o := range options {
				if column, ok := strings.CutPrefix(o, "calendar="); ok {
					a.column = strings.Trim(column, "()")
				} else {
					kept = append(kept, o)
				}
			}
			if i == 1 { // columns are picked one row after the other
				head, _, _ := strings.Cut(got[0][0], "\n")
				kept = append(kept, "columns="+head)
			}
			out, said, err := a.ask("spread", table, kept, "-")
			if err != nil {
				t.Fatalf("%s: %v", c.options, err)
			}
			bad, err := os.ReadFile(filepath.Join(a.dir, "bad.csv"))
			if err != nil {
				t.Fatal(err)
			}
			got[i] = [3]string{out, said, string(bad)}
		}
		if got[0] != got[1] || strings.Count(got[0][0], "\n") < 1000 || !strings.Contains(got[0][1], c.told) {
			t.Errorf("%s: %d rows, one after the other %d, told\n%s\nand %s\nbad:\n%.300s", c.options, strings.Count(got[0][0], "\n"),
				strings.Count(got[1][0], "\n"), got[0][1], got[1][1], got[0][2])
		}
	}
}
