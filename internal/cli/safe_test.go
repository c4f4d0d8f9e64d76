package cli_test

import (
	"encoding/csv"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"
)

// TestRelease_ledgerFile lets several release and log at once: nothing that one of them wrote is lost.
func TestRelease_ledgerFile(t *testing.T) {
	t.Parallel()
	tries := 50
	if testing.Short() {
		tries = 1
	}
	series := []string{"crew-pay", "deckhand-pay", "galley-pay", "safety-drill", "fuel-duty", "quarter-close", "slipway-survey", "month-close"}
	dir := demo(t)
	for try := range tries {
		if err := os.Remove(filepath.Join(dir, "released.csv")); err != nil {
			t.Fatal(err)
		}
		_ = os.Remove(filepath.Join(dir, "yoyaku-log.jsonl"))
		var wait sync.WaitGroup
		for i, name := range series {
			wait.Go(func() {
				args := []string{"release", "--through", "2028-06-30", "--by", "A. Gull", "--series", name}
				if i%4 == 3 {
					args = []string{"run", "--by", name}
				}
				if _, errs, code := yoyaku(t, dir, args...); code != 0 {
					t.Errorf("%v: %d %s", args, code, errs)
				}
			})
		}
		wait.Wait()
		rows, err := csv.NewReader(strings.NewReader(read(t, filepath.Join(dir, "released.csv")))).ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		n := map[string]int{}
		for _, row := range rows {
			n[row[1]]++
		}
		for i, name := range series {
			if (n[name] == 0) != (i%4 == 3) {
				t.Fatalf("try %d: %d rows of %s were kept: %v", try, n[name], name, n)
			}
		}
		if log := read(t, filepath.Join(dir, "yoyaku-log.jsonl")); strings.Count(log, "\n") != 2 || !strings.Contains(log, `"by":"safety-drill"`) || !strings.Contains(log, `"by":"month-close"`) {
			t.Fatalf("try %d: the log is %s", try, log)
		}
	}
	if out, errs, code := yoyaku(t, dir, "check"); code != 0 {
		t.Errorf("afterwards: %d %s%s", code, out, errs)
	}
}

// TestOutputs_modesAndLinks holds what is written to the mask, to what stood there, and to the
// output folder; and what is no file to being written and never read.
func TestOutputs_modesAndLinks(t *testing.T) {
	t.Parallel()
	if runtime.GOOS == "windows" {
		t.Skip("rights and links are other things there")
	}
	dir := t.TempDir()
	sh := func(script string) (out string, code int) {
		t.Helper()
		cmd := exec.Command("sh", "-c", script)
		cmd.Dir, cmd.Env = dir, append(os.Environ(), asOf, "Y="+program)
		b, err := cmd.CombinedOutput()
		if err != nil && cmd.ProcessState == nil {
			t.Fatal(err)
		}
		return string(b), cmd.ProcessState.ExitCode()
	}
	mode := func(name string) string {
		info, err := os.Stat(filepath.Join(dir, name))
		if err != nil {
			t.Fatal(err)
		}
		return fmt.Sprintf("%o", info.Mode().Perm())
	}
	plan := func(outputs string) {
		write(t, filepath.Join(dir, "yoyaku.yaml"), "plan: 1\nid: o\nwindow: 2027\nseries:\n  s: {rule: monthly on 15}\nrecords:\n  r: {table: t.csv, bad-rows: aside=bad.csv, columns: {e: \"d, +1 day\"}}\noutputs:\n"+outputs)
	}
	write(t, filepath.Join(dir, "t.csv"), "k,d\na,2027-01-01\nb,xx\n")
	plan("  - {file: s.csv, of: s}\n  - {file: s.ics, of: s}\n  - {file: r.csv, of: r}\n  - {file: r2.csv, of: r}\n")
	if out, code := sh(`umask 077; "$Y" run --by me`); code != 0 || mode("s.csv")+mode("s.ics")+mode("bad.csv")+mode("yoyaku-log.jsonl") != "600600600600" {
		t.Errorf("umask 077: %d %s", code, out)
	}
	if bad := read(t, filepath.Join(dir, "bad.csv")); bad != "k,d,reason\nb,xx,\"d: expected a date, found \"\"xx\"\"\"\n" {
		t.Errorf("set aside: %q", bad)
	}
	if out, code := sh(`umask 022; chmod 640 s.csv; "$Y" run --window 2028; "$Y" dates daily --window 2027-01 --out new.csv`); code != 0 || mode("s.csv") != "640" || mode("new.csv") != "644" {
		t.Errorf("rights of what is there: %d %s", code, out)
	}
	// An output that is a link, one that leads nowhere yet, two that are one file.
	outside := filepath.Join(t.TempDir(), "x.csv")
	for _, c := range []struct{ make, outputs, want string }{
		{"ln -sf " + outside + " l.csv", "  - {file: l.csv, of: s}\n", "l.csv leads out of the output folder"},
		{"rm -f bad.csv; ln -sf " + outside + " bad.csv", "  - {file: r.csv, of: r}\n", "bad.csv leads out of the output folder"},
		{"rm -f bad.csv; ln -sf there.csv two.csv", "  - {file: there.csv, of: s}\n  - {file: two.csv, of: s}\n", "would be written twice"},
	} {
		plan(c.outputs)
		if out, code := sh(c.make + `; "$Y" run`); code != 2 || !strings.Contains(out, c.want) {
			t.Errorf("%s: %d %s", c.make, code, out)
		}
		if _, err := os.Stat(outside); err == nil {
			t.Errorf("%s: a file was made outside", c.make)
		}
	}
	for _, script := range []string{
		`"$Y" dates "monthly on 15" --window 2027 --as ics --out /dev/stdout`,
		`ln -sf /dev/zero z.ics; "$Y" dates "monthly on 15" --window 2027 --out z.ics && echo BEGIN:VEVENT`,
		`mkfifo p.ics; cat p.ics & "$Y" dates "monthly on 15" --window 2027 --out p.ics; wait`,
	} {
		done := make(chan bool)
		go func() {
			if out, code := sh(script); code != 0 || !strings.Contains(out, "BEGIN:VEVENT") {
				t.Errorf("%s: %d %.300s", script, code, out)
			}
			close(done)
		}()
		select {
		case <-done:
		case <-time.After(time.Minute): // it would read for ever
			t.Fatalf("%s doesn't end", script)
		}
	}
	// The machine's refusals.
	for script, want := range map[string]string{
		`"$Y" help phrases >/dev/full`: "no space left", `"$Y" help jobs >/dev/full`: "no space left", `"$Y" --help >/dev/full`: "no space left",
		`TMPDIR=/none "$Y" dates daily --window 2027 --out x.xlsx`: "set TMPDIR",
	} {
		if out, code := sh(script); code != 3 || !strings.Contains(out, want) {
			t.Errorf("%s: %d %s", script, code, out)
		}
	}
}

// TestNew_planIsRead gives `new` names that mean something in YAML: what it writes says
// them back, or nothing is written.
func TestNew_planIsRead(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, filepath.Join(dir, "t: {x} #1.csv"), "\"x\ny: evil\",\"d' \"\"q\"\"\"\na,2027-01-01\nb,2027-02-01\n")
	for _, c := range []struct {
		args string
		code int
		want []string
	}{
		{"new|a|--id|null|--series|null = monthly on 15|--series|éte = monthly on last|--table|t: {x} #1.csv", 0, []string{"id: \"null\"", "title: Éte", "table: \"../t: {x} #1.csv\"", `key: "x y: evil"`, `of: ["null", éte]`}},
		{"new|it's: x", 0, []string{"title: it s x"}},
		{"new|b|--id|x\nevil: 1", 2, nil},
		{"new|b|--series|a b = monthly on 15", 2, nil},
	} {
		args := strings.Split(c.args, "|")
		out, errs, code := yoyaku(t, dir, args...)
		if code != c.code {
			t.Fatalf("%q: %d %s%s", c.args, code, out, errs)
		}
		path := filepath.Join(dir, args[1], "yoyaku.yaml")
		if c.code != 0 {
			if _, err := os.Stat(path); err == nil {
				t.Errorf("%q: a plan was written", c.args)
			}
			continue
		}
		for _, want := range c.want {
			if text := read(t, path); !strings.Contains(text, want) {
				t.Errorf("%q: no %s in\n%s", c.args, want, text)
			}
		}
		if out, errs, code := yoyaku(t, dir, "check", path); code != 0 {
			t.Errorf("%q: %d %s%s", c.args, code, out, errs)
		}
	}
}

// TestSplitOutputs_retiredFiles holds the files of owners who left to having nothing live in them, counts
// to what is there, and a move to being told once.
func TestSplitOutputs_retiredFiles(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	plan := func(people, owner, rule string) {
		write(t, filepath.Join(dir, "yoyaku.yaml"), `plan: 1
id: office
window: 2027
people: `+people+`
series:
  pay:
    title: "BEGIN:VEVENT"
    rule: `+rule+`
    milestones: {cut: {date: "date, -3 days", owner: `+owner+`}}
  other: {rule: monthly on 1}
outputs:
  - {file: wages.csv, of: pay}
  - {file: agenda.csv, of: [pay, other]}
  - {file: "out/{owner}-tasks.ics", of: pay, per: owner}
  - {file: "t-{owner}.csv", of: pay, per: owner}
`)
	}
	plan("{di: {name: Di}, ed: {name: Ed}}", "di", "monthly on 15")
	_, errs, code := yoyaku(t, dir, "run", "--as-of", "2027-03-01")
	if code != 0 || !strings.Contains(errs, "out/di-tasks.ics    new  12 dates\n") || !strings.Contains(errs, "out/none-tasks.ics  new  12 dates\n") {
		t.Fatalf("run: %d %s", code, errs)
	}
	write(t, filepath.Join(dir, "out", "notes-tasks.txt"), "no business of ours")
	other := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:a@b\r\nDTSTAMP:20270101T000000Z\r\nDTSTART;VALUE=DATE:20270601\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	write(t, filepath.Join(dir, "out", "jo-tasks.ics"), other)
	plan("{ed: {name: Ed}}", "ed", "monthly on 16")
	if out, _, _ := yoyaku(t, dir, "compare", "--as-of", "2027-03-01"); strings.Count(out, "moved,pay,date,2027-05/15") > 1 || strings.Count(out, ",cut,2027-05/1") > 2 {
		t.Errorf("compare tells a move twice:\n%s", out)
	}
	_, errs, code = yoyaku(t, dir, "run", "--as-of", "2027-03-01")
	if code != 0 || !strings.Contains(errs, "out/di-tasks.ics    changed") || !strings.Contains(errs, "there is no longer an owner `di`") || !strings.Contains(errs, "t-di.csv: there is no longer an owner `di`; the file was left as it is") || strings.Contains(errs, "jo-tasks") {
		t.Errorf("the run after: %d %s", code, errs)
	}
	old := read(t, filepath.Join(dir, "out", "di-tasks.ics"))
	if strings.Count(old, "STATUS:CANCELLED") != 10 || strings.Count(old, "\nBEGIN:VEVENT") != 12 { // two lie before the day
		t.Errorf("the file of one who left:\n%s", old)
	}
	if read(t, filepath.Join(dir, "out", "jo-tasks.ics")) != other {
		t.Error("a calendar of somebody else was changed")
	}
	if _, errs, code := yoyaku(t, dir, "run", "--as-of", "2027-03-01"); code != 0 || strings.Contains(errs, "di-tasks.ics") || read(t, filepath.Join(dir, "out", "di-tasks.ics")) != old {
		t.Errorf("a second run: %d %s", code, errs)
	}
	// A plan that can't be read stops nothing that needs none.
	write(t, filepath.Join(dir, "yoyaku.yaml"), "plan: [1")
	for _, args := range [][]string{{"between", "2027-01-01", "2027-02-01"}, {"holidays", "england-wales", "--window", "2027"}, {"read", "out/jo-tasks.ics"}, {"schema", "plan"}, {"new", "fresh"}} {
		if _, errs, code := yoyaku(t, dir, args...); code != 0 {
			t.Errorf("%v beside a broken plan: %d %s", args, code, errs)
		}
	}
	for args, want := range map[string]string{"dates|monthly on 15": "yoyaku.yaml:1:7", "between|2027-01-01|2027-02-01|--plan|yoyaku.yaml": "yoyaku.yaml:1:7", "holidays|england|--window|2027": "did you mean `england-wales`?",
		"publish|--at-once|17": "a whole number from 1 to 16"} {
		if _, errs, code := yoyaku(t, dir, strings.Split(args, "|")...); code != 2 || !strings.Contains(errs, want) {
			t.Errorf("%s: %d %s", args, code, errs)
		}
	}
}
