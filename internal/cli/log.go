package cli

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

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

// log adds the run's line to the log, which appears with the outputs.
func (r *run) log() error {
	if r.by == "" {
		return nil
	}
	folder := filepath.Dir(r.plan.Path)
	line := logLine{Plan: r.plan.ID, AsOf: r.plan.Env.Today.String(), By: r.by, Note: r.logNote, Version: version(),
		Window: r.span.First.String() + ".." + r.span.Last.String(), Read: map[string]string{}, Written: r.hashes, Moved: []logMoved{}}
	for _, path := range r.plan.Files.Reads() {
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		name := path
		if rel, err := filepath.Rel(folder, path); err == nil {
			name = filepath.ToSlash(rel)
		}
		line.Read[name] = hashOf(data)
	}
	for _, d := range r.moved {
		line.Moved = append(line.Moved, logMoved{d.Series, d.What, d.ID, d.Was.String(), d.Now.String(), d.Detail})
	}
	path := filepath.Join(folder, logName)
	if err := r.plan.Files.Write(path); err != nil {
		return err
	}
	before, err := os.ReadFile(path)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if len(before) > 0 && !bytes.HasSuffix(before, []byte("\n")) {
		before = append(before, '\n')
	}
	data, err := json.Marshal(line)
	if err != nil {
		return err
	}
	w, err := r.stage.Create(path)
	if err == nil {
		_, err = w.Write(append(append(before, data...), '\n'))
	}
	return err
}
