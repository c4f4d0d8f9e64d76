package query

import (
	"errors"
	"fmt"
	"io"
	"runtime/debug"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/files"
)

// Catalog is where series, records and calendars are found: a plan, or none.
type Catalog interface {
	// FindSeries returns a series, or nil; FindAllSeries those of a name or of a pattern, All all.
	FindSeries(name string) *schedule.Series
	FindAllSeries(name string) []*schedule.Series
	AllSeries() []*schedule.Series
	// RecordInfo returns a record, or nil.
	RecordInfo(name string) *RecordInfo
	// Calendar returns a calendar by name or file, Calendars all at hand.
	// Groups are the series of each plan that is looked at.
	Groups() []PlanSeries
	Calendar(name string) (*workdays.Calendar, error)
	Calendars() ([]*workdays.Calendar, error)
}

// PlanSeries are the series of a plan.
type PlanSeries struct {
	ID, Title string
	Series    []*schedule.Series
}

// Ledger is what was released of a plan.
type Ledger interface {
	// Released are the dates of a series that were released, of plans beside it too.
	Released(series string) ([]schedule.Released, error)
	// Breaches are the dates of series that aren't as they were released, in a window.
	Breaches(series []*schedule.Series, window civil.Span) ([]schedule.Breach, error)
}

// Workspace is what answers are given from: settings, calendars and series, files,
// and whom to tell what isn't the answer.
type Workspace struct {
	Env eval.Env
	ID  string // of the events' plan
	// Title and Window are the plan's; nil if it has none.
	Title  string
	Window *civil.Span
	Zone   *time.Location // nil: times float
	Catalog
	Ledger // nil if nothing was released
	// FindMade gives a table that is the answer to a query, by the name under which a record
	// of the plan has it; ok is false for files. nil if there is none.
	FindMade func(name string) (t *MemTable, ok bool, err error)
	Stdin    io.Reader
	Files    *files.Registry
	// ReserveFile registers the file that bad rows go to, before anything is opened; nil for
	// the register alone. Create begins it; it appears with the answer. asker is the
	// record of the plan that is asked, "" for a table.
	ReserveFile func(asker, path string) error
	CreateFile  func(asker, path string) (io.Writer, error)
	Output      string
	// Warn says what may be wrong with the answer, Note what else to know.
	Warn, Note func(format string, args ...any)
	// Progress counts rows as they pass, if it isn't nil.
	Progress *atomic.Int64
	// IsCommand says that options are flags of a command, for hints.
	IsCommand bool
}

// OptionText writes an option with a value as the place has it.
func (p *Workspace) OptionText(name, value string) string {
	switch {
	case !p.IsCommand && value == "":
		return "`" + name + "`"
	case !p.IsCommand:
		return name + ": " + value
	}
	return strings.TrimSpace("--" + name + " " + value)
}

// parseWindow works out a stretch of time that an option says; without one it is all.
func (p *Workspace) parseWindow(option, text string) (civil.Span, error) {
	if text == "" {
		return civil.AllDays, nil
	}
	s, err := eval.ParseWindow(text, p.Env)
	return s, rows.WrapOption(option, err)
}

// warnBreaches says how many dates of series of the plan aren't as they were released.
func (p *Workspace) warnBreaches(series []*schedule.Series, window civil.Span) error {
	if p.Ledger == nil || len(series) == 0 {
		return nil
	}
	held, err := p.Breaches(series, window)
	if err == nil && len(held) > 0 {
		p.Warn("%s; `yoyaku check` lists them", schedule.CountBreaches(held))
	}
	return err
}

// UnknownSeries is the error for a name that is no series; it offers the nearest.
func (p *Workspace) UnknownSeries(name string) error {
	names := p.Env.SeriesNames
	var patterns, like []string
	for _, s := range p.AllSeries() {
		patterns = append(patterns, s.Patterns...)
		if slices.ContainsFunc(s.Patterns, func(t string) bool { return phrase.NamesEqual(t, name) }) {
			like = append(like, s.Name)
		}
	}
	if like != nil {
		return fmt.Errorf("`%s` is a pattern; name one of its series: %s", strings.TrimSpace(name),
			strings.Join(like, ", "))
	}
	hint := "this plan has " + phrase.ListNames(names)
	if near := phrase.Nearest(name, append(patterns, names...)); near != "" {
		hint = "did you mean `" + near + "`?"
	} else if len(names) == 0 {
		hint = "series are in a plan (--plan FILE, or yoyaku.yaml in this folder)"
	}
	return fmt.Errorf("unknown series `%s`; %s", strings.TrimSpace(name), hint)
}

// limitGarbage bounds how much garbage piles up, in percent of what is in use, while an answer
// holds its rows. What it returns ends that.
func limitGarbage(percent int) func() {
	was := debug.SetGCPercent(percent)
	return func() { debug.SetGCPercent(was) }
}

var errNoCalendar = errors.New("a window needs the name of a calendar: yoyaku holidays NAME --window 2027")
