package cli

import (
	"errors"
	"path/filepath"
	"slices"
	"strings"

	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/tabular"
)

// gone makes again the files of owners who are no longer among the people: what of the
// plan they hold is cancelled. A table is told of, and stays.
func (r *run) gone() (list []*making, err error) {
	if r.only != nil {
		return nil, nil
	}
	for _, out := range r.plan.Split {
		pattern := filepath.Join(escapeGlob(r.folder()), filepath.FromSlash(strings.ReplaceAll(escapeGlob(out.File), "{owner}", "*")))
		found, err := filepath.Glob(pattern)
		if err != nil {
			return nil, err
		}
		for _, path := range found {
			rel, err := filepath.Rel(r.folder(), path)
			if err != nil {
				continue
			}
			one := *out
			one.File = filepath.ToSlash(rel)
			var fits bool
			one.Owner, fits = out.Named(one.File)
			if !fits || slices.ContainsFunc(r.plan.Outputs, func(o *plan.Output) bool { return strings.EqualFold(o.File, one.File) }) || r.plan.Files.Free(path) != nil {
				continue
			}
			if !out.Format.Events {
				if ours(path) {
					r.note(&one, "nobody is called `"+one.Owner+"` any more; the file stays as it is")
				}
				continue
			}
			if err := r.plan.Files.Write(path); err != nil {
				return nil, err
			}
			m, err := r.cancelled(&one, path)
			if err != nil {
				return nil, out.Fault(err)
			}
			if m != nil {
				list = append(list, m)
			}
		}
	}
	return list, nil
}

// cancelled is a calendar in which the events of an output are cancelled; nil if nothing
// of it is the plan's.
func (r *run) cancelled(out *plan.Output, path string) (*making, error) {
	earlier, err := ical.Earliest(path)
	if err != nil || earlier == nil {
		return nil, err
	}
	m := &making{out: out, path: path, listed: 0}
	l, err := look(&out.Shape, r.plan)
	if err != nil {
		return nil, err
	}
	l.Title = r.plan.Title
	sink, err := out.Format.Sink(&m.data, l)
	if err != nil {
		return nil, err
	}
	of := func(series string) bool {
		return r.plan.Find(series) == nil || slices.ContainsFunc(out.Of, func(s *schedule.Series) bool { return s.Name == series })
	}
	f := r.follower(out, earlier)
	f.Left = func(series string) bool { return !of(series) }
	sink.(*ical.Sink).Follow(f)
	switch err := sink.(*ical.Sink).Events(nil); {
	case errors.Is(err, ical.ErrEmpty):
		return nil, nil
	case err != nil:
		return nil, err
	}
	if f.Cancelled() == 0 || files.Same(path, m.data.Bytes()) {
		return nil, nil
	}
	m.became, m.moved = became(path, out, m.data.Bytes(), sink.(*ical.Sink).Count())
	m.became += ": nobody is called `" + out.Owner + "` any more"
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
