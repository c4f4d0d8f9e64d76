package cli_test

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"unicode/utf16"
	"yoyaku/internal/golden"
)

// sheet is a table as a person has it: where its dates are and what they are. answers are what a
// person says of what is in doubt, and which words mean an open range.
type sheet struct {
	name, file, text string
	column           string   // of the dates, as it is called in the end
	answers          []string // options
	want             string   // the dates, a blank for none
}

// sheets are in English, German, French, Spanish, Italian, Dutch, Polish, Swedish, Japanese and others.
var sheets = []sheet{
	{"plain", "a.csv", "id,day\n1,2027-01-15\n2,2027-02-15\n", "day", nil, "2027-01-15 2027-02-15"},
	{"title and total", "b.csv", "Pay calendar 2027,,\n,,\nMonth,Pay date,Cut-off\nJanuary,29 Jan,22 Jan\nFebruary,26 Feb,19 Feb\nTotal,2,\n", "Pay date", nil, "2027-01-29 2027-02-26"},
	{"two-row heading", "c.csv", ",Contract,,Audit,\nPerson,Start,End,Start,End\nA,2027-01-01,2027-12-31,2027-03-01,2027-03-05\nB,2027-02-01,2027-12-31,2027-04-01,2027-04-05\n", "Audit Start", nil, "2027-03-01 2027-04-01"},
	{"repeated headings", "d.csv", "Person;Pay day\nA;15.01.2027\nB;29.01.2027\nPerson;Pay day\nC;15.02.2027\n", "Pay day", nil, "2027-01-15 2027-01-29 2027-02-15"},
	{"subtotals and a source", "e.csv", "unit,start,end,days\nQuay,01/02/2027,05/02/2027,5\nQuay,13/03/2027,14/03/2027,2\nSubtotal,,,7\nYard,20/03/2027,23/03/2027,4\nTotal Yard,,,4\nGrand total,,,11\nSource: time system\n", "start", nil, "2027-02-01 2027-03-13 2027-03-20"},
	{"words, some no dates", "f.csv", "id,end\n1,31/12/2027\n2,present\n3,cancelled\n4,15/01/2028\n", "end", nil, "2027-12-31 - - 2028-01-15"},
	{"a far date", "g.csv", "id,end\n1,31/12/2027\n2,31/12/9999\n3,15/01/2028\n", "end", []string{"--open-words", "9999-12-31"}, "2027-12-31 - 2028-01-15"},
	{"pasted from a PDF", "h.txt", "PAY CALENDAR 2027\n\nMonth        Pay day        Cut-off\nJanuary      29 Jan 2027    22 Jan 2027\nFebruary     26 Feb 2027    19 Feb 2027\n", "Pay day", nil, "2027-01-29 2027-02-26"},
	{"pasted holidays", "i.txt", "Bank holidays 2027\n1 January New Year's Day\nFri 26 March Good Friday\nMon 3 May - Early May bank holiday\n", "A", nil, "2027-01-01 2027-03-26 2027-05-03"},
	{"no heading", "j.csv", "3;A-1;14.05.2027\n4;A-2;25.06.2027\n", "C", []string{"--header-row", "0"}, "2027-05-14 2027-06-25"},
	{"in doubt", "k.csv", "n,d\n1,03/04/2027\n2,05/04/2027\n", "d", []string{"--read-dates", "d=mdy"}, "2027-03-04 2027-05-04"},
	{"settled by a weekday", "l.csv", "n,d\n1,Sat 03/04/2027\n2,Mon 05/04/2027\n", "d", nil, "2027-04-03 2027-04-05"},
	{"months as words, US", "m.csv", "n,d\n1,\"May 3, 2027\"\n2,\"June 14, 2027\"\n", "d", nil, "2027-05-03 2027-06-14"},
	{"German, weekday", "n.csv", "Name;Datum\nEins;Mo 3.5.2027\nZwei;Di 1.6.2027\n", "Datum", nil, "2027-05-03 2027-06-01"},
	{"German, 1252", "o.csv", "Name;F\xe4lligkeit\nEins;3. M\xe4rz 2027\nZwei;4. Oktober 2027\n", "Fälligkeit", nil, "2027-03-03 2027-10-04"},
	{"German, laufend", "p.csv", "Vertrag;Ende\nA;31. Dezember 2027\nB;laufend\n", "Ende", nil, "2027-12-31 -"},
	{"French", "q.csv", "nom;début\nA;1er févr. 2027\nB;14 août 2027\n", "début", nil, "2027-02-01 2027-08-14"},
	{"French, UTF-16", "r.csv", utf16Text("nom;début;fin\nA;3 mars 2027;en cours\nB;14 juil. 2027;31 déc. 2027\n"), "fin", nil, "- 2027-12-31"},
	{"Spanish", "s.csv", "nombre,inicio\nA,3 de mayo de 2027\nB,14 de sept. de 2027\n", "inicio", nil, "2027-05-03 2027-09-14"},
	{"Italian", "t.csv", "nome;inizio\nA;3 maggio 2027\nB;1º giugno 2027\nTotale;2\n", "inizio", []string{"--skip", "totals"}, "2027-05-03 2027-06-01"},
	{"Dutch", "u.csv", "naam;datum\nA;woensdag 3 maart 2027\nB;4 mei 2027\n", "datum", nil, "2027-03-03 2027-05-04"},
	{"Polish, 1250", "v.csv", "Imi\xea;Data\nA;3 maja 2027\nB;5 pa\x9fdziernika 2027\n", "Data", nil, "2027-05-03 2027-10-05"},
	{"Polish, lis", "w.csv", "n;Data\nA;3 lis 2027\nB;4 stycznia 2027\n", "Data", nil, "2027-11-03 2027-01-04"},
	{"Swedish", "x.csv", "namn;dag\nA;den 3 maj 2027\nB;4 juni 2027\nSumma;2\n", "dag", []string{"--skip", "totals"}, "2027-05-03 2027-06-04"},
	{"Finnish", "y.csv", "nimi;päivä\nA;3. toukokuuta 2027\nB;4. kesä 2027\n", "päivä", nil, "2027-05-03 2027-06-04"},
	{"Czech", "z.csv", "jméno;den\nA;3. května 2027\nB;14. října 2027\n", "den", nil, "2027-05-03 2027-10-14"},
	{"Greek", "aa.csv", "n;ημέρα\nA;3 Μαΐου 2027\nB;14 Ιουνίου 2027\n", "ημέρα", nil, "2027-05-03 2027-06-14"},
	{"Russian, 1251", "ab.csv", "\xe8\xec\xff;\xe4\xe0\xf2\xe0\nA;3 \xec\xe0\xff 2027\nB;14 \xe8\xfe\xed\xff 2027\n", "дата", nil, "2027-05-03 2027-06-14"},
	{"Japanese", "ac.csv", "名前,支払日\nA,2027年3月15日(月)\nB,2027年4月15日\n", "支払日", nil, "2027-03-15 2027-04-15"},
	{"Japanese, Shift_JIS", "ad.csv", "\x96\xbc\x91O,\x8ex\x95\xa5\x93\xfa\nA,2027\x94N3\x8c\x8e15\x93\xfa\nB,2027\x94N4\x8c\x8e15\x93\xfa\n", "支払日", nil, "2027-03-15 2027-04-15"},
	{"weeks", "ae.csv", "week,who\nKW 23/2027,A\nKW 24/2027,B\n", "week", nil, "2027-06-07 2027-06-14"},
	{"months", "af.csv", "month,who\nMar-27,A\nApr-27,B\n", "month", []string{"--read-dates", "month=last day"}, "2027-03-31 2027-04-30"},
	{"text among dates", "ag.csv", "n,d\n1,15.01.2027\n2,see note\n3,28.02.2027\n", "d", nil, "2027-01-15 - 2027-02-28"},
	{"a line break in a heading", "ah.csv", "n,\"Start\nof term\"\n1,15.01.2027\n2,28.02.2027\n", "Start of term", nil, "2027-01-15 2027-02-28"},
	{"no year", "ai.csv", "n,d\n1,15 Jan\n2,28 Feb\n", "d", []string{"--read-dates", "d=dmy 2027"}, "2027-01-15 2027-02-28"},
	{"lines CR alone", "aj.csv", "n,d\r1,15.01.2027\r2,28.02.2027\r", "d", nil, "2027-01-15 2027-02-28"},
}

// utf16Text is a text in UTF-16 with its mark.
func utf16Text(s string) string {
	b := []byte{0xff, 0xfe}
	for _, u := range utf16.Encode([]rune(s)) {
		b = append(b, byte(u), byte(u>>8))
	}
	return string(b)
}

// offered finds the options that hints offer, at the end of a line or before another sentence.
var offered = regexp.MustCompile(`--(encoding|separator|header-row|lines|skip|repair|rename|fill-down|read-dates|read-numbers|language|open-words)(?: ("(?:[^"\\]|\\.)*"|'[^']*'|[^\s";,-][^\s";,]*))?`)

// addOffered adds the options of a hint that weren't said; false if there are none.
func addOffered(args []string, said string) ([]string, bool) {
	before := len(args)
	for _, m := range offered.FindAllStringSubmatch(said, -1) {
		value := strings.Trim(m[2], `"'`)
		switch repeats := m[1] == "read-dates" || m[1] == "read-numbers"; {
		case m[1] == "repair":
			if !slices.Contains(args, "--repair") {
				args = append(args, "--repair")
			}
			continue
		case slices.Contains(args, "--"+m[1]) && !repeats:
			continue
		case repeats:
			column, _, _ := strings.Cut(value, "=")
			if slices.ContainsFunc(args, func(a string) bool { return strings.HasPrefix(a, column+"=") }) {
				continue
			}
		}
		args = append(args, "--"+m[1], value)
	}
	return args, len(args) > before
}

// TestSheets_rightByTheWayOffered asks derive, infer, due and new about sheets as people have
// them: each answers right, or offers a way that does, and none is wrong in silence.
func TestSheets_rightByTheWayOffered(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	for _, s := range golden.Sample(sheets, 4) {
		write(t, filepath.Join(dir, s.file), s.text)
		column := `"` + s.column + `"`
		args := append([]string{"derive", s.file, "--add", "found = " + column + ", +0 days", "--columns", "found"}, s.answers...)
		out, said, code := "", "", 2
		for try := 0; code == 2 && try < 6; try++ {
			var more bool
			if out, said, code = yoyaku(t, dir, args...); code == 2 {
				if args, more = addOffered(args, said); !more && strings.Contains(said, "--bad-rows blank leaves them blank") {
					args = append(args, "--bad-rows", "blank") // what is left are words for no date
				}
			}
		}
		if got := foundDates(out); code != 0 || got != s.want {
			t.Errorf("%s: derive %q gives %q, want %q\n%s", s.name, args, got, s.want, said)
			continue
		}
		reading := readingOptions(args)
		if _, said, code := yoyaku(t, dir, append([]string{"infer", s.file}, reading...)...); code == 3 || code == 2 && !strings.Contains(said, "no column of dates") {
			t.Errorf("%s: infer: %d %s", s.name, code, said)
		}
		if _, said, code := yoyaku(t, dir, append([]string{"due", s.file, "--date", s.column, "--as-of", "2026-01-01"}, reading...)...); code == 3 || code == 2 && !strings.Contains(said, "`") {
			t.Errorf("%s: due: %d %s", s.name, code, said)
		}
		s.checkNew(t, dir)
	}
	if len(sheets) < 30 {
		t.Errorf("only %d sheets", len(sheets))
	}
}

// foundDates are the cells below a heading.
func foundDates(out string) string {
	rows, _ := csv.NewReader(strings.NewReader(out)).ReadAll()
	var list []string
	for _, r := range rows[min(1, len(rows)):] {
		cell := strings.Join(r, "")
		if cell == "" {
			cell = "-"
		}
		list = append(list, cell)
	}
	if n := strings.Count(out, "\n") - 1; len(list) < n { // blank lines
		list = nil
		for _, line := range strings.Split(strings.TrimSuffix(out, "\n"), "\n")[1:] {
			if line == "" || line == `""` {
				line = "-"
			}
			list = append(list, line)
		}
	}
	return strings.Join(list, " ")
}

// readingOptions are those of a command that say how a table is read.
func readingOptions(args []string) (list []string) {
	for i := 1; i < len(args); i++ {
		switch args[i] {
		case "--add", "--columns":
			i++
		case "--repair":
			list = append(list, args[i])
		default:
			if strings.HasPrefix(args[i], "--") && i+1 < len(args) {
				list = append(list, args[i], args[i+1])
				i++
			}
		}
	}
	return list
}

// checkNew makes a plan of the sheet: it is written and gives the dates in its table, or stops with
// commands of which one does, or says that it holds none.
func (s sheet) checkNew(t *testing.T, dir string) {
	t.Helper()
	args := append([]string{"new", "plan-" + s.file, "--table", s.file}, s.answers...)
	_, said, code := yoyaku(t, dir, args...)
	if code == 2 {
		for line := range strings.Lines(said) {
			if line = strings.TrimSpace(line); strings.HasPrefix(line, "yoyaku new") {
				args = shellWords(line)[1:]
				_, said, code = yoyaku(t, dir, args...)
				break
			}
		}
	}
	if code == 1 && strings.Contains(said, "holds no dates") {
		return
	}
	if code != 0 {
		t.Errorf("%s: new %q: %d %s", s.name, args, code, said)
		return
	}
	plan := filepath.Join("plan-"+s.file, "yoyaku.yaml")
	if _, said, code := yoyaku(t, dir, "check", plan); code != 0 {
		t.Errorf("%s: check: %d %s", s.name, code, said)
	}
	if _, said, code := yoyaku(t, dir, "run", plan); code != 0 {
		t.Errorf("%s: run: %d %s", s.name, code, said)
		return
	}
	tables, _ := filepath.Glob(filepath.Join(dir, "plan-"+s.file, "*-table.csv"))
	if len(tables) == 0 {
		return // series alone, which are proved as they are made
	}
	f, err := os.ReadFile(tables[0])
	if err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(strings.NewReader(string(f))).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	at := slices.Index(rows[0], s.column)
	if at < 0 {
		t.Errorf("%s: the table of the plan has the columns %q", s.name, rows[0])
		return
	}
	for i, want := range strings.Fields(s.want) {
		if cell := rows[i+1][at]; want != "-" && cell != want && cell != s.written(i) && !strings.Contains(cell, "年") {
			t.Errorf("%s: the table of the plan has %q, want %s", s.name, cell, want)
		}
	}
}

// written is a cell as the sheet has it, where a plan leaves it so: labels of stretches and dates
// whose signs are clear need no form.
func (s sheet) written(i int) string {
	if s.name != "weeks" && s.name != "months" {
		return ""
	}
	for _, line := range strings.Split(s.text, "\n")[i+1 : i+2] {
		for _, cell := range strings.Split(line, ",") {
			if strings.ContainsAny(cell, "0123456789") {
				return cell
			}
		}
	}
	return ""
}

// TestHints_runAsPrinted makes tables with hostile headings, forms of dates, titles and totals: the
// options that a hint offers are pasted behind the command, as they are printed, for a POSIX shell,
// and the fault that they were offered for is gone. The commands of new likewise.
func TestHints_runAsPrinted(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(37, 4))
	names := []string{"day", "End date", "a $HOME b", "it's", `say "when"`, "`date`", "a;b", "50% off", "x=y", "c,d", "back\\slash", "été", "!bang", "(p)", "*", "a & b", "tab\tbed", "#1"}
	forms := []string{"15.01.2027 28.02.2027", "01/13/2027 02/14/2027", "03/04/2027 05/06/2027", "3 May 2027|4 June 2027", "KW 23/2027|KW 24/2027", "15 Jan|28 Feb", "2027-01-15|present", "3 lis 2027|4 stycznia 2027", "15.01.2027|laufend"}
	tables := 100
	if testing.Short() {
		tables = 12
	}
	hinted := 0
	for n := range tables {
		dir := t.TempDir()
		name := names[n%len(names)]
		cells := strings.Split(strings.ReplaceAll(forms[r.IntN(len(forms))], " ", "|"), "|")
		if f := forms[r.IntN(len(forms))]; strings.Contains(f, "|") {
			cells = strings.Split(f, "|")
		}
		var b bytes.Buffer
		if r.IntN(3) == 0 {
			b.WriteString("A title of 2027,,\n,,\n")
		}
		w := csv.NewWriter(&b)
		_ = w.Write([]string{"id", name, "n"})
		for i, c := range cells {
			_ = w.Write([]string{fmt.Sprint("A-", i), c, "x"})
		}
		if r.IntN(3) == 0 {
			_ = w.Write([]string{"Total", "", "2"})
		}
		w.Flush()
		write(t, filepath.Join(dir, "t.csv"), b.String())
		write(t, filepath.Join(dir, "add.txt"), "x = \""+strings.ReplaceAll(name, "\"", "\"\"")+"\", +0 days\n")
		shell := func(line string) (string, int) {
			cmd := exec.Command("sh", "-c", line)
			cmd.Dir = dir
			cmd.Env = append(os.Environ(), asOf)
			out, err := cmd.CombinedOutput()
			var exit *exec.ExitError
			if err != nil && !errors.As(err, &exit) {
				t.Fatal(err)
			}
			return string(out), cmd.ProcessState.ExitCode()
		}
		line := "'" + program + "' derive t.csv --add @add.txt"
		out, code := shell(line)
		for range 4 {
			fault, _, _ := strings.Cut(out, "\n")
			options := hintedOptions.FindAllString(out, -1)
			if code != 2 || len(options) == 0 {
				break
			}
			hinted++
			if line += " " + options[0]; code == 2 {
				if out, code = shell(line); strings.HasPrefix(out, fault) || strings.Contains(out, "Syntax error") || strings.Contains(out, "not found") {
					t.Fatalf("%s\nof\n%s\nafter the hint still: %s", line, b.String(), out)
				}
			}
		}
		out, code = shell("'" + program + "' new p --table t.csv")
		for _, offer := range strings.Split(out, "\n") {
			if offer = strings.TrimSpace(offer); code == 2 && strings.HasPrefix(offer, "yoyaku new") {
				hinted++
				if out, again := shell("'" + program + "'" + strings.TrimPrefix(offer, "yoyaku") + " --id x"); again != 0 && !strings.Contains(out, "Say which") && !strings.Contains(out, "already exists") && !strings.Contains(out, "holds no dates") {
					t.Errorf("%s\nof\n%s\n%s", offer, b.String(), out)
				}
			}
		}
	}
	if hinted < tables/2 {
		t.Errorf("only %d hints in %d tables", hinted, tables)
	}
}

// hintedOptions finds the options that a hint offers, as they are printed, up to the end of the line
// or the next sentence.
var hintedOptions = regexp.MustCompile(`(?m)--(?:header-row|lines|skip|repair|separator|read-dates|language|open-words)(?: (?:"(?:[^"\\]|\\.)*"|'[^']*'|[^\s",;-][^\s",;]*))?(?: --(?:header-row|lines|skip|repair|separator|read-dates|language|open-words|rename)(?: (?:"(?:[^"\\]|\\.)*"|'[^']*'|[^\s",;-][^\s",;]*))?)*`)

// shellWords are the words of a command line, as a shell takes them apart.
func shellWords(line string) (words []string) {
	for _, m := range regexp.MustCompile(`"((?:[^"\\]|\\.)*)"|'([^']*)'|(\S+)`).FindAllStringSubmatch(line, -1) {
		words = append(words, m[1]+m[2]+m[3])
	}
	return words
}
