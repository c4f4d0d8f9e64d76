package ask

import (
	"io"
	"strings"
	"sync/atomic"
	"time"
	"unicode"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
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
	// UnknownSeries is the error for a name that is no series; it offers the nearest.
	UnknownSeries(name string) error
	// Groups are the series of each plan that is looked at.
	Groups() []PlanSeries
	// Calendar returns a calendar by name or file, Calendars all at hand.
	Calendar(name string) (*workdays.Calendar, error)
	Calendars() ([]*workdays.Calendar, error)
	// ResetMisses forgets which dates no calendar covered: those of a search of which one is shown.
	ResetMisses()
}

// PlanSeries are the series of a plan.
type PlanSeries struct {
	ID, Title string
	Series    []*schedule.Series
}

// RecordRows is a record of the plan whose rows can be asked.
type RecordRows struct {
	Name string
	Key  string // the column that names each row; "" for none
	// Job prepares to ask something of the rows, with the notes and streams of a workspace. That
	// they can't be made is told when they are opened.
	Job func(Workspace) *Job
	// WrapError puts the place in the plan around an error of the job.
	WrapError func(error) error
}

// Ledger is what was released of a plan.
type Ledger interface {
	// Released are the dates of a series that were released, of plans beside it too.
	Released(series string) ([]schedule.Released, error)
	// Breaches are the dates of series that aren't as they were released, in a window.
	Breaches(series []*schedule.Series, window civil.Span) ([]schedule.Breach, error)
}

// Workspace is everything that answers are computed from: settings, calendars, series, records
// and files, and where notes go.
type Workspace struct {
	Env eval.Env
	ID  string // of the events' plan
	// Title and Window are the plan's; nil if it has none.
	Title  string
	Window *civil.Span
	Zone   *time.Location // nil: times float
	Catalog
	Ledger // nil if nothing was released
	// CommandRules are the names of rules that the command gave for itself.
	CommandRules []string
	// BreachesChecked says that dates were compared with what was released before.
	BreachesChecked bool
	// FindRecord returns a record of the plan by its name, nil if there is none; nil without a plan.
	FindRecord func(name string) *RecordRows
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

// ParseWindow works out a stretch of time that an option says; without one it is all.
func (p *Workspace) ParseWindow(option, text string) (civil.Span, error) {
	if text == "" {
		return civil.AllDays, nil
	}
	s, err := eval.ParseWindow(text, p.Env)
	return s, rows.WrapOption(option, err)
}

// WarnBreaches says how many dates of series of the plan aren't as they were released.
func (p *Workspace) WarnBreaches(series []*schedule.Series, window civil.Span) error {
	if p.Ledger == nil || p.BreachesChecked || len(series) == 0 {
		return nil
	}
	breaches, err := p.Breaches(series, window)
	if err == nil && len(breaches) > 0 {
		p.Warn("%s; `yoyaku check` lists them", schedule.CountBreaches(breaches))
	}
	return err
}

// QuotedWord is ShellWord in quotes, whether it needs any or not.
func QuotedWord(text string) string {
	if word := ShellWord(text); word != text {
		return word
	}
	return `"` + text + `"`
}

// FormWord is COL=FORM as a hint has it.
func FormWord(column, form string) string { return QuotedWord(FormOf(column, form)) }

// shellEscapes put a backslash before what a POSIX shell takes for its own in double quotes.
var shellEscapes = strings.NewReplacer(`\`, `\\`, `"`, `\"`, "$", `\$`, "`", "\\`")

// ShellWord is a text as one word of a command line, in quotes if it needs any: double ones, or
// single ones where a shell takes something in double ones for its own, so that both a POSIX
// shell and PowerShell read it as it is.
func ShellWord(text string) string {
	if text == "" || strings.ContainsFunc(text, func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !strings.ContainsRune("-_./:=%+", r)
	}) {
		switch {
		case !strings.ContainsAny(text, "\"$`\\!"):
			return `"` + text + `"`
		case !strings.Contains(text, "'"):
			return "'" + text + "'"
		}
		return `"` + shellEscapes.Replace(text) + `"`
	}
	return text
}
