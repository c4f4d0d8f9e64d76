package cli

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
)

// logName is the file beside a plan to which runs add a line each.
const logName = "yoyaku-log.jsonl"

// logLine is such a line.
type logLine struct {
	Plan    string            `json:"plan"`
	AsOf    string            `json:"as_of"`
	By      string            `json:"by"`
	Note    string            `json:"note,omitempty"`
	Version string            `json:"version"`
	Window  string            `json:"window"`
	Read    map[string]string `json:"read"`    // SHA-256 of the plan, its calendars and tables
	Written map[string]string `json:"written"` // and of the outputs
	Moved   []logMoved        `json:"moved"`
}

// logMoved is a date that moved since the outputs that were there.
type logMoved struct {
	Series string `json:"series"`
	What   string `json:"what"`
	ID     string `json:"id"`
	Was    string `json:"was"`
	Now    string `json:"now"`
	Reason string `json:"reason,omitempty"`
}

// noteMoved remembers what a line of the log tells of an output.
func (r *run) noteMoved(out *plan.Output, list []schedule.Difference, data []byte) {
	if r.by == "" {
		return
	}
	if r.hashes == nil {
		r.hashes = map[string]string{}
	}
	r.hashes[out.File] = hashOf(data)
	for _, d := range list {
		if d.Series == "" && len(out.Of) == 1 { // the table of one series doesn't name it
			d.Series = out.Of[0].Name
		}
		if d.Was.Kind == 0 || d.Now.Kind == 0 || d.Was.SameTime(d.Now) {
			continue
		}
		known := false
		for _, m := range r.moved {
			known = known || m.Series == d.Series && m.What == d.What && m.ID == d.ID
		}
		if !known {
			r.moved = append(r.moved, d)
		}
	}
}

func hashOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// log adds a line for each run to the logs beside their plans, which appear with the
// outputs. Until unlock, nobody else writes them.
func (r *run) log(runs []*run) (unlock func(), err error) {
	var held []func()
	unlock = func() {
		for _, u := range held {
			u()
		}
	}
	logs := map[string]*bytes.Buffer{}
	order := slices.Clone(runs) // all take their turns in one order
	slices.SortStableFunc(order, func(a, b *run) int { return strings.Compare(a.plan.Path, b.plan.Path) })
	for _, one := range order {
		path := filepath.Join(filepath.Dir(one.plan.Path), logName)
		if err := one.plan.Files.Write(path); err != nil {
			return unlock, err
		}
		b := logs[path]
		if b == nil {
			free, err := one.plan.Lock(r.app.warn)
			if err != nil {
				return unlock, err
			}
			held = append(held, free)
			b = &bytes.Buffer{}
			logs[path] = b
			before, err := os.ReadFile(path)
			if err != nil && !errors.Is(err, fs.ErrNotExist) {
				return unlock, err
			}
			if b.Write(before); len(before) > 0 && !bytes.HasSuffix(before, []byte("\n")) {
				b.WriteByte('\n')
			}
		}
		data, err := json.Marshal(one.logLine())
		if err != nil {
			return unlock, err
		}
		b.Write(append(data, '\n'))
	}
	for _, path := range slices.Sorted(maps.Keys(logs)) {
		w, err := runs[0].stage.Create(path)
		if err == nil {
			_, err = w.Write(logs[path].Bytes())
		}
		if err != nil {
			return unlock, err
		}
	}
	return unlock, nil
}

// logLine is what the log tells of the run.
func (r *run) logLine() logLine {
	folder := filepath.Dir(r.plan.Path)
	line := logLine{Plan: r.plan.ID, AsOf: r.plan.Env.Today.String(), By: r.by, Note: r.logNote, Version: version(),
		Window: r.span.First.String() + ".." + r.span.Last.String(), Read: map[string]string{}, Written: r.hashes, Moved: []logMoved{}}
	for _, path := range r.plan.Files.Reads() {
		name := path
		if rel, err := filepath.Rel(folder, path); err == nil {
			name = filepath.ToSlash(rel)
		}
		if sum := r.plan.Files.Sum(path); sum != "" {
			line.Read[name] = sum
		}
	}
	for _, d := range r.moved {
		line.Moved = append(line.Moved, logMoved{d.Series, d.What, d.ID, d.Was.String(), d.Now.String(), d.Detail})
	}
	return line
}
