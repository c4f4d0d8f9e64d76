package workflow

import (
	"bytes"
	"encoding/json"
	"errors"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"

	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
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

// logData is what a line of the log says of outputs.
type logData struct {
	changes []schedule.Difference
	hashes  map[string]string
}

// add takes an output: what it holds now, and how it differs from what stood there.
func (l *logData) add(out *plan.Output, list []schedule.Difference, data *files.Spool) {
	if l.hashes == nil {
		l.hashes = map[string]string{}
	}
	l.hashes[out.File] = data.Sum()
	for _, d := range list {
		if d.Series == "" && len(out.Series) == 1 { // the table of one series doesn't name it
			d.Series = out.Series[0].Name
		}
		if d.Was.Kind == 0 || d.Now.Kind == 0 || d.Was.SameTime(d.Now) {
			continue
		}
		if !slices.ContainsFunc(l.changes, func(m schedule.Difference) bool {
			return m.Series == d.Series &&
				m.What == d.What && m.ID == d.ID
		}) {
			l.changes = append(l.changes, d)
		}
	}
}

// appendLogs adds a line for each work to the logs beside their plans, which appear with the
// outputs. Until unlock, nobody else writes them.
func appendLogs(sessions []*Session) (unlock func(), err error) {
	var held []func()
	unlock = func() {
		for _, u := range held {
			u()
		}
	}
	logs := map[string]*bytes.Buffer{}
	order := slices.Clone(sessions) // all take their turns in one order
	slices.SortStableFunc(order, func(a, b *Session) int { return strings.Compare(a.Plan.Path, b.Plan.Path) })
	for _, s := range order {
		path := filepath.Join(filepath.Dir(s.Plan.Path), logName)
		if err := s.Plan.Files.AddOutput(path); err != nil {
			return unlock, err
		}
		b := logs[path]
		if b == nil {
			free, err := Lock(s.Plan, s.reporter)
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
		data, err := json.Marshal(s.logLine())
		if err != nil {
			return unlock, err
		}
		b.Write(append(data, '\n'))
	}
	for _, path := range slices.Sorted(maps.Keys(logs)) {
		if err := sessions[0].stageFile(path, logs[path]); err != nil {
			return unlock, err
		}
	}
	return unlock, nil
}

// logLine is what the log says of the work.
func (s *Session) logLine() logLine {
	folder := filepath.Dir(s.Plan.Path)
	line := logLine{Plan: s.Plan.ID, AsOf: s.Plan.Env.Today.String(), By: s.request.By, Note: s.request.Note,
		Version: Version(),
		Window:  s.Span.First.String() + ".." + s.Span.Last.String(), Read: map[string]string{},
		Written: s.logData.hashes, Moved: []logMoved{}}
	for _, path := range s.Plan.Files.Inputs() {
		name := path
		if rel, err := filepath.Rel(folder, path); err == nil {
			name = filepath.ToSlash(rel)
		}
		if sum := s.Plan.Files.Sum(path); sum != "" {
			line.Read[name] = sum
		}
	}
	for _, d := range s.logData.changes {
		line.Moved = append(line.Moved, logMoved{d.Series, d.What, d.ID, d.Was.String(), d.Now.String(), d.Detail})
	}
	return line
}

// Version is what the build recorded: the module's version, or its commit.
func Version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	v := info.Main.Version
	for _, s := range info.Settings {
		if s.Key == "vcs.revision" && (v == "" || v == "(devel)") {
			v = s.Value[:min(12, len(s.Value))]
		}
	}
	if v == "" {
		v = "(devel)"
	}
	return v
}
