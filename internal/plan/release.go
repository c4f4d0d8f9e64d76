package plan

import (
	"bytes"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
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
	"yoyaku/internal/question"
)

// ReleasedName is the file beside a plan that holds what was released of it.
const ReleasedName = "released.csv"

// releasedColumns are its columns.
var releasedColumns = []string{"plan", "series", "what", "id", "nominal", "date", "reason", "released_on", "from", "through", "by", "note", "superseded_on", "part", "hash"}

// released is what was released, of this plan and of others that share the file.
type released struct {
	rows   []schedule.Released
	faults []Finding
	err    error // why it can't be read at all
}

// releasedPath is where the file stands.
func (p *Plan) releasedPath() string {
	return filepath.Join(filepath.Dir(p.Path), ReleasedName)
}

// KeepReleased notes the file in the register, so that nothing else is written there: as
// one that is read or, where it isn't there yet, as one that will be written.
func (p *Plan) KeepReleased() error {
	path := p.releasedPath()
	if slices.Contains(p.Files.Reads(), path) {
		return nil
	}
	return p.Files.Write(path)
}

// readReleased reads the file, once. What is wrong with it are findings; one that can't
// be read is an error, each time.
func (p *Plan) readReleased() (*released, error) {
	if p.released != nil {
		return p.released, p.released.err
	}
	p.released = &released{}
	path := p.releasedPath()
	if p.doc == nil || files.Missing(path) {
		return p.released, nil
	}
	data, err := p.Files.ReadAll(path, mostReleased, "file of released dates")
	if err != nil {
		p.released.err = err
		return p.released, err
	}
	p.released.read(path, data, p.ID)
	return p.released, nil
}

// mostReleased bounds the file in bytes.
const mostReleased = 64 << 20

// read reads the lines of a file; what is wrong with those of the plan are faults.
func (r *released) read(path string, data []byte, plan string) {
	fail := func(line int, format string, args ...any) {
		r.faults = append(r.faults, Finding{schedule.Finding{Text: fmt.Sprintf(format, args...) +
			"; only `yoyaku release` writes this file: take back what was changed in it"}, path, line})
	}
	in := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(data, []byte("\ufeff"))))
	in.FieldsPerRecord = -1
	head, err := in.Read()
	if err != nil || !slices.Equal(head, releasedColumns) {
		fail(1, "the columns of released dates are %s", strings.Join(releasedColumns, ","))
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
			fail(bad.StartLine, "this line isn't whole: %v", bad.Err)
			return
		case err != nil:
			r.missing(parts, order, fail)
			return
		case slices.Equal(cells, releasedColumns):
			fail(line, "the heading stands here a second time")
			continue
		case len(cells) != len(releasedColumns):
			fail(line, "this line has %d values, not %d", len(cells), len(releasedColumns))
			continue
		}
		row, err := releasedRow(cells)
		row.Line = line
		if cells[0] == plan || err == nil && row.Plan == plan {
			switch {
			case hashOf(cells) != cells[len(cells)-1]:
				fail(line, "this line was changed: its hash doesn't fit")
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
		if err == nil {
			r.rows = append(r.rows, row)
		} else if cells[0] != plan { // of another plan: its lines stay as they are
			r.rows = append(r.rows, row)
		}
	}
}

// mostMissing is how many missing lines of a release are named.
const mostMissing = 5

// missing finds releases of which lines are missing. How many lines a release has is what
// its lines say, so no number of them is walked through.
func (r *released) missing(parts map[string]map[int]int, order []string, fail func(line int, format string, args ...any)) {
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
			for i := from; i <= to && len(gone) < mostMissing; i++ {
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
			fail(0, "of the release of %s by %s, lines are missing: %s", of[0], of[3], strings.Join(gone, ", "))
		}
	}
}

// releasedRow reads a line.
func releasedRow(cells []string) (r schedule.Released, err error) {
	r = schedule.Released{Plan: cells[0], Series: cells[1], What: cells[2], ID: cells[3], Reason: cells[6], By: cells[10], Note: cells[11]}
	r.Raw = cells
	for _, d := range []struct {
		to    *civil.Date
		text  string
		blank bool
	}{{&r.Nominal, cells[4], false}, {&r.On, cells[7], false}, {&r.From, cells[8], false}, {&r.Through, cells[9], false}, {&r.Superseded, cells[12], true}} {
		day, _, ok := civil.Parse(d.text)
		if !ok && (d.text != "" || !d.blank) && err == nil {
			err = fmt.Errorf("%q is no date", d.text)
		}
		if ok {
			*d.to = day
		}
	}
	var ok bool
	if r.At, ok = question.ParseMoment(cells[5]); !ok && err == nil {
		err = fmt.Errorf("%q is no date", cells[5])
	}
	n, parts, _ := strings.Cut(cells[13], "/")
	r.Part, _ = strconv.Atoi(n)
	r.Parts, _ = strconv.Atoi(parts)
	if (r.Part < 1 || r.Parts < r.Part) && err == nil {
		err = fmt.Errorf("%q is no part of a release, such as 3/42", cells[13])
	}
	return r, err
}

// hashOf is the hash of a line's values.
func hashOf(cells []string) string {
	sum := sha256.Sum256([]byte(strings.Join(cells[:len(releasedColumns)-1], "\x00")))
	return hex.EncodeToString(sum[:8])
}

// releasedText writes the file.
func releasedText(rows []schedule.Released) ([]byte, error) {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	if err := w.Write(releasedColumns); err != nil {
		return nil, err
	}
	for _, r := range rows {
		cells := r.Raw
		if cells == nil || r.Superseded != civil.None && cells[12] == "" {
			day := func(d civil.Date) string { return eval.Day(d).String() }
			cells = []string{r.Plan, r.Series, r.What, r.ID, day(r.Nominal), r.At.String(), r.Reason, day(r.On), day(r.From), day(r.Through), r.By, r.Note,
				day(r.Superseded), fmt.Sprintf("%d/%d", r.Part, r.Parts), ""}
			cells[14] = hashOf(cells)
		}
		if err := w.Write(cells); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

// ownReleased are the released dates of the plan; what is wrong with the file is an
// error.
func (p *Plan) ownReleased() ([]schedule.Released, error) {
	r, err := p.readReleased()
	if err != nil {
		return nil, err
	}
	if len(r.faults) > 0 {
		return nil, &ReleasedError{r.faults}
	}
	return slices.DeleteFunc(slices.Clone(r.rows), func(row schedule.Released) bool { return row.Plan != p.ID }), nil
}

// ReleasedError is a file of released dates that can't be trusted.
type ReleasedError struct{ Findings []Finding }

// Error tells the first finding.
func (e *ReleasedError) Error() string {
	f := e.Findings[0]
	text := filepath.ToSlash(f.File)
	if f.Line > 0 {
		text += ":" + strconv.Itoa(f.Line)
	}
	text += ": " + f.Text
	if n := len(e.Findings) - 1; n > 0 {
		text += fmt.Sprintf(" (and %d more)", n)
	}
	return text
}

// ReleasedOf are the released dates of a series, those that were superseded too.
func (p *Plan) ReleasedOf(series string) ([]schedule.Released, error) {
	rows, err := p.ownReleased()
	return slices.DeleteFunc(rows, func(r schedule.Released) bool { return !phrase.SameName(r.Series, series) }), err
}

// Hold holds series against what was released of them in a window: nil are all, those
// that are no more among them.
func (p *Plan) Hold(series []*schedule.Series, window civil.Span) ([]schedule.Held, error) {
	if len(p.beside) == 0 {
		return p.holdOwn(series, window)
	}
	alone := *p
	alone.beside = nil
	var all []schedule.Held
	for _, one := range append([]*Plan{&alone}, p.beside...) {
		held, err := one.holdOwn(slices.DeleteFunc(slices.Clone(series), func(s *schedule.Series) bool { return one.Find(s.Name) != s }), window)
		if err != nil {
			return nil, err
		}
		all = append(all, held...)
	}
	return all, nil
}

func (p *Plan) holdOwn(series []*schedule.Series, window civil.Span) ([]schedule.Held, error) {
	rows, err := p.ownReleased()
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	named := func(name string) bool {
		return series == nil || slices.ContainsFunc(series, func(s *schedule.Series) bool { return s.Name == name })
	}
	return p.hold(rows, named, window)
}

func (p *Plan) hold(rows []schedule.Released, named func(string) bool, window civil.Span) ([]schedule.Held, error) {
	return schedule.Hold(rows, named, func(name string) *schedule.Series {
		if s := p.Find(name); s != nil && s.Name == name {
			return s
		}
		return nil
	}, window)
}

// mostKept is how often what was released is put in place: a date that goes back takes
// its milestones along, which may have been released otherwise.
const mostKept = 6

// Keep puts what was released in the place of what the plan gives now; it returns what
// it put back.
func (p *Plan) Keep(series []*schedule.Series, window civil.Span) (kept []schedule.Held, err error) {
	for range mostKept {
		held, err := p.Hold(series, window)
		if err != nil {
			return nil, err
		}
		todo := false
		for _, h := range held {
			s := p.Find(h.Series)
			if s == nil {
				continue
			}
			if old := s.HandOf(h.What, h.ID); old != nil && old.Kept {
				continue // nothing more can be done
			}
			if err := h.Keep(s); err != nil {
				return nil, err
			}
			kept, todo = append(kept, h), true
		}
		if !todo {
			break
		}
	}
	return kept, nil
}

// Releasing is a release: through a day, by somebody.
type Releasing struct {
	Window      civil.Span
	Through     civil.Date
	By, Note    string
	Series      []string // names, those of series that are no more too; nil for all
	Provisional bool     // provisional dates too
}

// ProvisionalError is a release of dates that may still move.
type ProvisionalError struct {
	Count int
	Why   string
}

// Error says so.
func (e *ProvisionalError) Error() string {
	return fmt.Sprintf("%s provisional (%s), and a released date should stand; wait for the holidays, or release them all the same with --provisional", phrase.IsAre(e.Count, "date"), e.Why)
}

// Release works out what is released, and what the file then holds; nil where nothing
// changes.
func (p *Plan) Release(r Releasing) (data []byte, changes []schedule.Held, same int, err error) {
	if _, err := p.ownReleased(); err != nil {
		return nil, nil, 0, err
	}
	all := p.released.rows
	var series []*schedule.Series
	gone := map[string]bool{} // series that are no more
	for _, name := range r.Series {
		found := p.FindAll(name)
		if found == nil && !slices.ContainsFunc(all, func(row schedule.Released) bool { return row.Plan == p.ID && row.Series == name }) {
			place := p.Place()
			return nil, nil, 0, place.UnknownSeries(name)
		}
		series, gone[name] = append(series, found...), found == nil
	}
	if r.Series == nil {
		series = p.Series
	}
	named := func(name string) bool {
		return r.Series == nil && p.Find(name) != nil || gone[name] || slices.ContainsFunc(series, func(s *schedule.Series) bool { return s.Name == name })
	}
	stretch := civil.Span{First: r.Window.First, Last: r.Through}
	entries, _, err := schedule.Entries(series, stretch)
	if err != nil {
		return nil, nil, 0, err
	}
	if !r.Provisional {
		n, why := 0, ""
		for _, e := range entries {
			if e.Why.Blind.Is() {
				n, why = n+1, e.Why.Blind.Text()
			}
		}
		if n > 0 {
			return nil, nil, 0, &ProvisionalError{n, why}
		}
	}
	own := slices.DeleteFunc(slices.Clone(all), func(row schedule.Released) bool { return row.Plan != p.ID })
	held, err := p.hold(own, named, stretch)
	if err != nil {
		return nil, nil, 0, err
	}
	as := schedule.Released{Plan: p.ID, On: p.Env.Today, From: stretch.First, Through: stretch.Last, By: r.By, Note: r.Note}
	rows, changes := schedule.Release(all, entries, p.byHandToo(own, held, named, stretch), as)
	if len(changes) == 0 {
		return nil, nil, len(entries), nil
	}
	data, err = releasedText(rows)
	return data, changes, len(entries) - len(changes), err
}

// byHandToo adds to what isn't as it was released what a person moved, which the hold
// lets pass: a release takes it up.
func (p *Plan) byHandToo(rows []schedule.Released, held []schedule.Held, named func(string) bool, stretch civil.Span) []schedule.Held {
	for i := range rows {
		r := &rows[i]
		s := p.Find(r.Series)
		if !r.Holds() || s == nil || !named(r.Series) || s.HandOf("date", r.ID) == nil && s.HandOf(r.What, r.ID) == nil {
			continue
		}
		now, reason, err := s.Now(r)
		if in := stretch.Has(r.At.Day) || now.Kind != eval.Blank && stretch.Has(now.Day); in && err == nil && !now.SameTime(r.At) {
			held = append(held, schedule.Held{Series: r.Series, What: r.What, ID: r.ID, Released: r.At, Now: now, Reason: reason, Row: r})
		}
	}
	return held
}

// WriteReleased puts the file in place, whole or not at all.
func (p *Plan) WriteReleased(data []byte) error {
	return files.WriteFile(p.releasedPath(), func(w io.Writer) error {
		_, err := w.Write(data)
		return err
	})
}

// spotOf puts a file around an error.
func spotOf(path string, err error) error {
	if err == nil {
		return nil
	}
	return &Error{File: path, Err: err}
}

// LockName is the empty file beside a plan by whose lock those take turns that write what
// is kept with it.
const LockName = ".yoyaku.lock"

// Lock waits for the turn of the plan's folder; warn tells where there are no locks.
func (p *Plan) Lock(warn func(format string, args ...any)) (unlock func(), err error) {
	path := filepath.Join(filepath.Dir(p.Path), LockName)
	unlock, err = files.Lock(path, files.LockWait)
	if errors.Is(err, files.ErrNoLocks) {
		warn("%s: this file system has no locks; let nobody else write here at the same time", path)
		err = nil
	}
	return unlock, err
}

// Lost reports whether dates of a series were released that the plan no longer has.
func (p *Plan) Lost(series string) bool {
	if p.Find(series) != nil {
		return false
	}
	rows, err := p.ownReleased()
	return err == nil && slices.ContainsFunc(rows, func(r schedule.Released) bool { return r.Series == series && r.Holds() })
}

// heldFindings are what isn't as it was released, as findings at the lines of the file.
func (p *Plan) heldFindings(window civil.Span) (list []Finding, err error) {
	r, err := p.readReleased()
	if err != nil || len(r.faults) > 0 {
		return slices.Clone(r.faults), spotOf(p.releasedPath(), err)
	}
	held, err := p.Hold(nil, window)
	for _, h := range held {
		f := Finding{schedule.Finding{About: h.Series, At: h.Now, Text: h.String()}, p.releasedPath(), 0}
		if h.Now.Kind == eval.Blank {
			f.At = h.Released
		}
		if h.Row != nil {
			f.Line = h.Row.Line
		}
		list = append(list, f)
	}
	return list, err
}
