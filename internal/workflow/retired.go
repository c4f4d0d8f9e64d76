package workflow

import (
	"errors"
	"path/filepath"
	"slices"
	"strings"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/tabular"
)

// retiredOutputs makes again the files of owners and series that are no longer there: what of the
// plan they hold is cancelled. A table is reported, and stays.
func (s *Session) retiredOutputs() (list []*outputBuild, err error) {
	if s.request.Series != nil {
		return nil, nil
	}
	for _, out := range s.Plan.SplitOutputs {
		pattern := filepath.Join(escapeGlob(s.folder()), filepath.FromSlash(strings.ReplaceAll(escapeGlob(out.File),
			out.Placeholder(), "*")))
		found, err := filepath.Glob(pattern)
		if err != nil {
			return nil, err
		}
		for _, path := range found {
			m, err := s.retiredOutput(out, path)
			if err != nil {
				return nil, err
			}
			if m != nil {
				s.recordOutcome(m)
				list = append(list, m)
			}
		}
	}
	return list, nil
}

// retiredOutput looks at a file whose name fits that of a split output; nil if there is nothing to
// write.
func (s *Session) retiredOutput(out *plan.Output, path string) (*outputBuild, error) {
	rel, err := filepath.Rel(s.folder(), path)
	if err != nil {
		return nil, nil
	}
	output := *out
	output.File = filepath.ToSlash(rel)
	name, fits := out.SubjectOf(output.File)
	if out.SplitBy == "owner" {
		output.Owner = name
	}
	if !fits || slices.ContainsFunc(s.Plan.Outputs, func(o *plan.Output) bool {
		return strings.EqualFold(o.File,
			output.File)
	}) || s.Plan.Files.CheckWritable(path) != nil {
		return nil, nil
	}
	if !out.Format.HoldsEvents() {
		if isGeneratedTable(path) {
			s.onNote(output.File, formerSubject(out, name)+"; the file was left as it is")
		}
		return nil, nil
	}
	if err := s.Plan.Files.AddOutput(path); err != nil {
		return nil, err
	}
	m, err := s.cancelledCalendar(&output, path, name)
	if err != nil {
		return nil, out.WrapError(err)
	}
	return m, nil
}

// formerSubject says whose file it is, or of what.
func formerSubject(out *plan.Output, name string) string {
	if out.SplitBy == "owner" {
		return "there is no longer an owner `" + name + "`"
	}
	return "there is no longer a series `" + name + "` in it"
}

// cancelledCalendar is a calendar in which the events of an output, for one who has left, are
// cancelled; nil if nothing of it is the plan's.
func (s *Session) cancelledCalendar(out *plan.Output, path, name string) (*outputBuild, error) {
	before, err := ical.OpenPrevious(path)
	if err != nil || before == nil {
		return nil, err
	}
	m, kept := &outputBuild{Session: s, out: out, data: files.NewHeldSpool()}, false
	defer func() {
		if !kept {
			m.data.Discard()
		}
	}()
	to, err := m.open(m.data)
	if err != nil {
		return nil, err
	}
	sink := to.Events
	f := &ical.Update{Previous: before, Today: s.Plan.Env.Today, Scope: ical.Scope{Window: s.Span,
		Plans: []string{s.Plan.ID}, Order: seriesOrder(out),
		IsExcluded: func(series string) bool {
			if out.SplitBy == "series" { // the file is that series' alone
				return !phrase.NamesEqual(series, name)
			}
			return s.Plan.FindSeries(series) != nil && !containsSeries(out.Series, series)
		}}}
	sink.SetUpdate(f)
	switch err := sink.Events(nil); {
	case errors.Is(err, ical.ErrEmpty):
		return nil, nil
	case err != nil:
		return nil, err
	}
	if f.Cancelled() == 0 || files.HasContent(path, m.data) {
		return nil, nil
	}
	kept, m.numListed = true, sink.Count()
	m.compareWithPrevious()
	m.outcome.Text = strings.TrimPrefix(m.outcome.Text+"; "+formerSubject(out, name), "; ")
	return m, nil
}

// escapeGlob takes the meaning off what a pattern of files would take for more than text.
func escapeGlob(s string) string {
	return strings.NewReplacer("[", "[[]", "*", "[*]", "?", "[?]").Replace(s)
}

// isGeneratedTable reports whether a table has the heading of one that a run makes of series.
func isGeneratedTable(path string) bool {
	r, closer, err := tabular.Open(path, strings.NewReader(""), tabular.Options{})
	if err != nil {
		return false
	}
	defer closer.Close()
	return schedule.IsScheduleTable(r.Columns())
}
