package office

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

// gone makes again the files of owners and series that are no longer there: what of the
// plan they hold is cancelled. A table is reported, and stays.
func (w *Work) gone() (list []*making, err error) {
	if w.asked.Series != nil {
		return nil, nil
	}
	for _, out := range w.Plan.Split {
		pattern := filepath.Join(escapeGlob(w.folder()), filepath.FromSlash(strings.ReplaceAll(escapeGlob(out.File),
			out.Each(), "*")))
		found, err := filepath.Glob(pattern)
		if err != nil {
			return nil, err
		}
		for _, path := range found {
			m, err := w.goneAt(out, path)
			if err != nil {
				return nil, err
			}
			if m != nil {
				w.told(m)
				list = append(list, m)
			}
		}
	}
	return list, nil
}

// goneAt looks at a file whose name fits that of a split output; nil if there is nothing to
// write.
func (w *Work) goneAt(out *plan.Output, path string) (*making, error) {
	rel, err := filepath.Rel(w.folder(), path)
	if err != nil {
		return nil, nil
	}
	one := *out
	one.File = filepath.ToSlash(rel)
	name, fits := out.Named(one.File)
	if out.Per == "owner" {
		one.Owner = name
	}
	if !fits || slices.ContainsFunc(w.Plan.Outputs, func(o *plan.Output) bool {
		return strings.EqualFold(o.File,
			one.File)
	}) || w.Plan.Files.Free(path) != nil {
		return nil, nil
	}
	if !out.Format.Events {
		if ours(path) {
			w.noted(one.File, left(out, name)+"; the file was left as it is")
		}
		return nil, nil
	}
	if err := w.Plan.Files.Write(path); err != nil {
		return nil, err
	}
	m, err := w.cancelled(&one, path, name)
	if err != nil {
		return nil, out.Fault(err)
	}
	return m, nil
}

// left says whose file it is, or of what.
func left(out *plan.Output, name string) string {
	if out.Per == "owner" {
		return "there is no longer an owner `" + name + "`"
	}
	return "there is no longer a series `" + name + "` in it"
}

// cancelled is a calendar in which the events of an output, for one who has left, are
// cancelled; nil if nothing of it is the plan's.
func (w *Work) cancelled(out *plan.Output, path, name string) (*making, error) {
	before, err := ical.OpenEarlier(path)
	if err != nil || before == nil {
		return nil, err
	}
	m, kept := &making{Work: w, out: out, data: files.Hold()}, false
	defer func() {
		if !kept {
			m.data.Drop()
		}
	}()
	to, err := m.sink(m.data)
	if err != nil {
		return nil, err
	}
	sink := to.(*ical.Sink)
	f := &ical.Follow{Earlier: before, Today: w.Plan.Env.Today, Scope: ical.Scope{Window: w.Span,
		Plans: []string{w.Plan.ID}, Order: order(out),
		Left: func(series string) bool {
			if out.Per == "series" { // the file is that series' alone
				return !phrase.SameName(series, name)
			}
			return w.Plan.Find(series) != nil && !has(out.Of, series)
		}}}
	sink.Follow(f)
	switch err := sink.Events(nil); {
	case errors.Is(err, ical.ErrEmpty):
		return nil, nil
	case err != nil:
		return nil, err
	}
	if f.Cancelled() == 0 || files.Same(path, m.data) {
		return nil, nil
	}
	kept, m.listed = true, sink.Count()
	m.compared()
	m.became.Text = strings.TrimPrefix(m.became.Text+"; "+left(out, name), "; ")
	return m, nil
}

// escapeGlob takes the meaning off what a pattern of files would take for more than text.
func escapeGlob(s string) string {
	return strings.NewReplacer("[", "[[]", "*", "[*]", "?", "[?]").Replace(s)
}

// ours reports whether a table has the heading of one that a run makes of series.
func ours(path string) bool {
	r, closer, err := tabular.Open(path, strings.NewReader(""), tabular.Input{})
	if err != nil {
		return false
	}
	defer closer.Close()
	return schedule.HasHead(r.Columns())
}
