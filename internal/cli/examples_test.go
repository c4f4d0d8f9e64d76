package cli_test

import (
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/golden"
)

// The language's worked examples, all of them, through the built program: with
// no holidays, Saturday and Sunday closed.
func TestWorkedExamples(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	for _, c := range [][3]string{ // rule, window, moved dates
		{"monthly on 15, last then roll preceding", "2027-Q1", "2027-01-15 2027-01-29 2027-02-15 2027-02-26 2027-03-15 2027-03-31"},
		{"monthly on last then 25th day of next month, roll following", "2027-Q1", "2027-01-25 2027-02-25 2027-03-25"},
		{"every 3 months back from 2028-05-31 from 2027-02-10", "0001..9999", "2027-02-28 2027-05-31 2027-08-31 2027-11-30 2028-02-29 2028-05-31"},
		{"yearly on easter then -2 days", "2027", "2027-03-26"},
	} {
		out, errs, code := yoyaku(t, dir, "dates", c[0], "--window", c[1])
		var got []string
		for _, line := range strings.Split(strings.TrimSpace(out), "\n")[1:] {
			date, _, _ := strings.Cut(line, ",")
			got = append(got, date)
		}
		if code != 0 || strings.Join(got, " ") != c[2] {
			t.Errorf("%s: %d %s%v, want %s", c[0], code, errs, got, c[2])
		}
	}
	// The others name columns of a table: each gets a table of its bases.
	for _, c := range golden.Sample(golden.Cases(t, "testdata/workedexamples.cases", 4), 6) {
		write(t, filepath.Join(dir, "bases.csv"), c[1]+"\n"+strings.ReplaceAll(c[2], " ", "\n")+"\n")
		out, errs, code := yoyaku(t, dir, "derive", "bases.csv", "--add", "result = "+c[0], "--columns", "result", "--as-of", "2027-09-06")
		if got := strings.Join(strings.Fields(out), " "); code != 0 || got != "result "+c[3] {
			t.Errorf("%s of %s: %d %s%s, want %s", c[0], c[2], code, errs, got, c[3])
		}
	}
}

// Readers of every kind through the program: the same table in six formats
// gives the same rows.
func TestFormatsChain(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	want, _, _ := yoyaku(t, dir, "derive", "invoices.csv", "--add", "due = invoiced, end of month, +30 days")
	for _, ending := range []string{"csv", "tsv", "json", "jsonl", "xlsx"} {
		file := "copy." + ending
		if _, errs, code := yoyaku(t, dir, "derive", "invoices.csv", "--out", file); code != 0 {
			t.Fatalf("%s: %s", file, errs)
		}
		got, errs, code := yoyaku(t, dir, "derive", file, "--add", "due = invoiced, end of month, +30 days")
		if ending == "xlsx" { // a workbook keeps the number, not its zeros
			got = strings.NewReplacer("1280.5,", "1280.50,", ",310,", ",310.00,", ",99.9,", ",99.90,", ",640,", ",640.00,").Replace(got)
		}
		if code != 0 || got != want {
			t.Errorf("%s: %d %s\n%s, want\n%s", file, code, errs, got, want)
		}
	}
}

// Every phrase in the tables of the language's page.
func TestLanguagePage(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	kind, n := "", 0
	for _, line := range strings.Split(read(t, "../../docs/language.md"), "\n") {
		cells := strings.Split(strings.Trim(line, "|"), " | ")
		phrase, last := strings.Trim(cells[0], " `"), strings.TrimSpace(cells[len(cells)-1])
		args := []string{"value", phrase}
		switch {
		case !strings.HasPrefix(line, "|"):
			kind = ""
			continue
		case kind == "":
			kind = phrase
			continue
		case strings.HasPrefix(line, "|-"):
			continue
		case kind == "Rule":
			args = []string{"dates", phrase, "--window", cells[1]}
		case kind == "Fiscal rule":
			args = []string{"dates", phrase, "--window", cells[1], "--fiscal-end", "sat nearest 31 jan"}
		case kind == "Step":
			args = append(args, "--base", cells[1])
		case kind != "Measure":
			continue
		}
		if n++; testing.Short() && n%8 != 0 {
			continue
		}
		out, errs, code := yoyaku(t, dir, args...)
		got := strings.TrimSpace(out)
		if args[0] == "dates" {
			var dates []string
			for _, row := range strings.Split(got, "\n")[1:] {
				date, _, _ := strings.Cut(row, ",")
				dates = append(dates, date)
			}
			got = strings.Join(dates, " ")
		}
		if code != 0 || got != last {
			t.Errorf("%v: %d %s%s, the page says %s", args, code, errs, got, last)
		}
	}
	if n < 60 {
		t.Errorf("only %d phrases found", n)
	}
}

// Five messy tables: what is said of each names the options with which the first
// `derive` of the README works, two at most.
func TestMessyTables(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	const good = "C-1,2027-01-04,12,2028-01-03,2027-10-05\nC-2,2027-02-01,6,2027-07-31,2027-04-30\n"
	for _, c := range []struct {
		what, text string
		says       []string // of the table as it is, and with the first option
		options    []string
	}{
		{"a title above", "Contracts of the yard\n\ncontract;start;term\nC-1;2027-01-04;12\nC-2;2027-02-01;6\n", []string{"--header-row"}, []string{"--header-row=3"}},
		{"merged cells", "contract,start,,term\nC-1,2027-01-04,,12\nC-2,,,6\n", []string{"--repair"}, []string{"--repair", "--fill-down=start"}},
		{"totals below", "contract,start,term\nC-1,2027-01-04,12\nC-2,2027-02-01,6\nTotal\n", []string{"--skip totals"}, []string{"--skip=totals"}},
		{"numbers and dates of the country", "contract;start;term\nC-1;4.1.2027;12,0\nC-2;1.2.2027;6,0\n", []string{"--read-dates \"start=dmy\"", "--read-numbers \"term="}, []string{"--read-dates=dmy", "--read-numbers=1.234,56"}},
		{"headings twice and blank rows", "contract,start,start,term\n\n,,,\nC-1,2027-01-04,x,12\n\nC-2,2027-02-01,y,6\n", []string{"--repair"}, []string{"--repair", "--where=contract is not blank"}},
	} {
		write(t, filepath.Join(dir, "messy.csv"), c.text)
		args := []string{"derive", "messy.csv", "--add", "ends = start, lasting term months", "--add", "notice = ends, -90 days, roll preceding", "--columns", "contract,start,term,ends,notice"}
		for i, says := range c.says {
			if _, errs, code := yoyaku(t, dir, append(args, c.options[:i]...)...); code != 2 || !strings.Contains(errs, says) {
				t.Errorf("%s: %d %s, want %s", c.what, code, errs, says)
			}
		}
		out, errs, code := yoyaku(t, dir, append(args, c.options...)...)
		want := "contract,start,term,ends,notice\n" + good
		switch c.what {
		case "merged cells":
			want = strings.Replace(want, "2027-02-01,6,2027-07-31,2027-04-30", "2027-01-04,6,2027-07-03,2027-04-02", 1)
		case "numbers and dates of the country":
			want = strings.NewReplacer(",12,", `,"12,0",`, ",6,", `,"6,0",`).Replace(want)
		}
		if code != 0 || out != want {
			t.Errorf("%s: %d %s%s, want %s", c.what, code, errs, out, want)
		}
	}
}
