package workflow

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"maps"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
)

// ledger holds what was released of a plan: released.csv beside it, which plans of one folder
// share. It is read once, when first asked.
type ledger struct {
	plan   *plan.Plan
	path   string
	others []*ledger // of plans whose series are looked at too

	isOpen bool
	all    []schedule.Released // of plans that share the file too
	faults []plan.Finding
	err    error // why it can't be read at all
}

// newLedger is the ledger of a plan.
func newLedger(p *plan.Plan) *ledger {
	l := &ledger{plan: p, path: p.ReleasedPath()}
	for _, other := range p.Joined() {
		l.others = append(l.others, newLedger(other))
	}
	return l
}

// ledgerColumns are the columns of the file.
var ledgerColumns = []string{"plan", "series", "what", "id", "nominal", "date", "reason", "released_on", "from",
	"through", "by", "note", "superseded_on", "part", "hash"}

// register notes the file in the register, so that nothing else is written there: as one that
// is read or, if it isn't there yet, as one that will be written.
func (l *ledger) register() error {
	if slices.Contains(l.plan.Files.Inputs(), l.path) {
		return nil
	}
	return l.plan.Files.AddOutput(l.path)
}

// load reads the file, once. What is wrong with it are faults; one that can't be read is an
// error, each time.
func (l *ledger) load() error {
	if l.isOpen {
		return l.err
	}
	l.isOpen = true
	if l.plan.Path == "" || files.NotExist(l.path) {
		return nil
	}
	data, err := l.plan.Files.ReadAll(l.path, maxLedgerBytes, "file of released dates")
	if l.err = err; err == nil {
		l.parse(data)
	}
	return err
}

// rows are the released dates of the plan; what is wrong with the file is an error.
func (l *ledger) rows() ([]schedule.Released, error) {
	if err := l.load(); err != nil {
		return nil, err
	}
	if len(l.faults) > 0 {
		return nil, &LedgerError{l.faults}
	}
	return slices.DeleteFunc(slices.Clone(l.all), func(row schedule.Released) bool { return row.Plan != l.plan.ID }), nil
}

// Released are the released dates of a series, those that were superseded too.
func (l *ledger) Released(series string) ([]schedule.Released, error) {
	rows, err := l.rows()
	for _, other := range l.others {
		if err == nil {
			var more []schedule.Released
			more, err = other.rows()
			rows = append(rows, more...)
		}
	}
	return slices.DeleteFunc(rows, func(r schedule.Released) bool { return !phrase.NamesEqual(r.Series, series) }), err
}

// hasOrphans reports whether dates of a series were released that the plan no longer has.
func (l *ledger) hasOrphans(series string) bool {
	if l.plan.FindSeries(series) != nil {
		return false
	}
	rows, err := l.rows()
	return err == nil && slices.ContainsFunc(rows, func(r schedule.Released) bool {
		return r.Series == series &&
			r.IsCurrent()
	})
}

// maxLedgerBytes bounds the file in bytes.
const maxLedgerBytes = 64 << 20

// parse reads the lines of the file; what is wrong with those of the plan are faults.
func (l *ledger) parse(data []byte) {
	fail := func(line int, format string, args ...any) {
		l.faults = append(l.faults, plan.Finding{Finding: schedule.Finding{Text: fmt.Sprintf(format, args...) +
			"; only `yoyaku release` writes this file: undo the edit"}, File: l.path, Line: line})
	}
	in := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(data, []byte("\ufeff"))))
	in.FieldsPerRecord = -1
	head, err := in.Read()
	if err != nil || !slices.Equal(head, ledgerColumns) {
		fail(1, "expected the columns %s", strings.Join(ledgerColumns, ","))
		return
	}
	parts := map[string]map[int]int{}
	var order []string
	for {
		cells, err := in.Read()
		line := 0
		if err == nil {
			line, _ = in.FieldPos(0)
		}
		var bad *csv.ParseError
		switch {
		case errors.As(err, &bad):
			fail(bad.StartLine, "this line is incomplete: %v", bad.Err)
			return
		case err != nil:
			reportMissingLines(parts, order, fail)
			return
		case slices.Equal(cells, ledgerColumns):
			fail(line, "the heading is repeated here")
			continue
		case len(cells) != len(ledgerColumns):
			fail(line, "this line has %d values, expected %d", len(cells), len(ledgerColumns))
			continue
		}
		row, err := parseLedgerRow(cells)
		row.Line = line
		if cells[0] == l.plan.ID || err == nil && row.Plan == l.plan.ID {
			switch {
			case lineHash(cells) != cells[len(cells)-1]:
				fail(line, "this line was edited: its hash doesn't match")
				err = errors.New("changed")
			case err != nil:
				fail(line, "%v", err)
			}
			key := strings.Join([]string{cells[7], cells[8], cells[9], cells[10], cells[11], strconv.Itoa(row.Parts)}, "\x00")
			if parts[key] == nil {
				parts[key] = map[int]int{}
				order = append(order, key)
			}
			parts[key][row.Part]++
		}
		if err == nil || cells[0] != l.plan.ID { // those of another plan stay as they are
			l.all = append(l.all, row)
		}
	}
}

// maxListedMissing is how many missing lines of a release are named.
const maxListedMissing = 5

// reportMissingLines finds releases of which lines are missing. How many lines a release has is what
// its lines say, so no number of them is walked through.
func reportMissingLines(parts map[string]map[int]int, order []string, fail func(line int, format string, args ...any)) {
	for _, key := range order {
		of := strings.Split(key, "\x00")
		n, _ := strconv.Atoi(of[5])
		have := parts[key]
		most := 0
		for _, k := range have {
			most = max(most, k)
		}
		var gone []string
		lost, next := 0, 1
		lack := func(from, to int) {
			for i := from; i <= to && len(gone) < maxListedMissing; i++ {
				gone = append(gone, fmt.Sprintf("%d/%d", i, n))
			}
			lost += max(0, to-from+1)
		}
		for _, i := range slices.Sorted(maps.Keys(have)) {
			lack(next, i-1)
			if have[i] < most {
				lack(i, i)
			}
			next = i + 1
		}
		lack(next, n)
		if lost > len(gone) {
			gone = append(gone, fmt.Sprintf("and %d more", lost-len(gone)))
		}
		if gone != nil {
			fail(0, "lines of the release of %s by %s are missing: %s", of[0], of[3], strings.Join(gone, ", "))
		}
	}
}

// parseLedgerRow reads a line.
func parseLedgerRow(cells []string) (r schedule.Released, err error) {
	r = schedule.Released{Plan: cells[0], Series: cells[1], What: cells[2], ID: cells[3], Reason: cells[6],
		By: cells[10], Note: cells[11]}
	r.Cells = cells
	for _, d := range []struct {
		to    *civil.Date
		text  string
		blank bool
	}{{&r.Nominal, cells[4], false}, {&r.ReleasedOn, cells[7], false}, {&r.From, cells[8], false},
		{&r.Through, cells[9], false}, {&r.Superseded, cells[12], true}} {
		day, _, ok := civil.Parse(d.text)
		if !ok && (d.text != "" || !d.blank) && err == nil {
			err = fmt.Errorf("expected a date, found %q", d.text)
		}
		if ok {
			*d.to = day
		}
	}
	var ok bool
	if r.At, ok = query.ParseMoment(cells[5]); !ok && err == nil {
		err = fmt.Errorf("expected a date, found %q", cells[5])
	}
	n, parts, _ := strings.Cut(cells[13], "/")
	r.Part, _ = strconv.Atoi(n)
	r.Parts, _ = strconv.Atoi(parts)
	if (r.Part < 1 || r.Parts < r.Part) && err == nil {
		err = fmt.Errorf("expected a part of a release such as 3/42, found %q", cells[13])
	}
	return r, err
}

// lineHash is the hash of a line's values.
func lineHash(cells []string) string {
	return schedule.Hash(strings.Join(cells[:len(ledgerColumns)-1], "\x00"), 8)
}

// formatLedger writes the file.
func formatLedger(rows []schedule.Released) ([]byte, error) {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	if err := w.Write(ledgerColumns); err != nil {
		return nil, err
	}
	for _, r := range rows {
		cells := r.Cells
		if cells == nil || r.Superseded != civil.None && cells[12] == "" {
			day := func(d civil.Date) string { return eval.Day(d).String() }
			cells = []string{r.Plan, r.Series, r.What, r.ID, day(r.Nominal), r.At.String(), r.Reason, day(r.ReleasedOn),
				day(r.From), day(r.Through), r.By, r.Note,
				day(r.Superseded), fmt.Sprintf("%d/%d", r.Part, r.Parts), ""}
			cells[14] = lineHash(cells)
		}
		if err := w.Write(cells); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

// LedgerError is a file of released dates that can't be trusted.
type LedgerError struct{ Findings []plan.Finding }

// Error says the first finding.
func (e *LedgerError) Error() string {
	text := e.Findings[0].String()
	if n := len(e.Findings) - 1; n > 0 {
		text += fmt.Sprintf(" (and %d more)", n)
	}
	return text
}

// write writes the file, whole or not at all.
func (l *ledger) write(data []byte) error {
	return files.WriteFile(l.path, func(w io.Writer) error {
		_, err := w.Write(data)
		return err
	})
}

// lockName is the empty file beside a plan by whose lock those take turns that write what
// is kept with it.
const lockName = ".yoyaku.lock"

// Lock waits for the turn of a plan's folder; tell says if there are no locks.
func Lock(p *plan.Plan, reporter Reporter) (unlock func(), err error) {
	path := filepath.Join(filepath.Dir(p.Path), lockName)
	unlock, err = files.Lock(path, files.LockWait)
	if errors.Is(err, files.ErrNoLocks) {
		reporter.Warn("%s: this file system has no locks; make sure nobody else writes here at the same time", path)
		err = nil
	}
	return unlock, err
}
