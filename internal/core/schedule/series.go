package schedule

import (
	"iter"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// The names that stand for something in a series' own phrases, in the order of
// the row that the phrases are compiled against. Milestones follow.
const (
	slotNominal = iota
	slotDate
	slotPreviousNominal
	slotPreviousDate
	slotNextNominal
	slotPeriodStart
	slotPeriodEnd
	slotNumber
	slotTitle
	slotMilestones
)

// BaseNames are those names in that order.
var BaseNames = []string{"nominal", "date", "previous_nominal", "previous_date", "next_nominal",
	"period_start", "period_end", "number", "title"}

// Series is a named rule with what hangs on each of its dates.
type Series struct {
	Name, Title string
	RuleText    string // as it was written
	Calendar    *workdays.Calendar
	Rec         *eval.Recurrence
	Start, End  *eval.Program // of the period; nil for the default
	Milestones  []Milestone
	Summary     *Template // of its events; nil for the title
}

// Milestone is a date that hangs on the date of a series.
type Milestone struct {
	Name string
	Prog *eval.Program
}

// NewSeries compiles a series' rule.
func NewSeries(name, title, rule string, env eval.Env) (*Series, error) {
	rec, err := eval.CompileRule(rule, env)
	if err != nil {
		return nil, err
	}
	if title == "" {
		title = name
	}
	return &Series{Name: name, Title: title, RuleText: rule, Calendar: env.Calendar, Rec: rec}, nil
}

// Names returns what a phrase of the series may use at this point: the base
// names and the milestones added so far.
func (s *Series) Names() []string {
	names := slices.Clone(BaseNames)
	for _, m := range s.Milestones {
		names = append(names, m.Name)
	}
	return names
}

// SetPeriod compiles the phrases of the period; an empty one keeps the default.
// The phrases can't use the period itself.
func (s *Series) SetPeriod(start, end string, env eval.Env) (err error) {
	env.Names = BaseNames[:slotPeriodStart]
	if start != "" {
		if s.Start, err = eval.Compile(start, nil, env); err != nil {
			return err
		}
	}
	if end != "" {
		s.End, err = eval.Compile(end, nil, env)
	}
	return err
}

// AddMilestone compiles a milestone. Its base is the moved date; it may use the
// milestones added before it.
func (s *Series) AddMilestone(name, text string, env eval.Env) error {
	env.Names = s.Names()
	prog, err := eval.Compile(text, &phrase.Name{Text: "date"}, env)
	if err != nil {
		return err
	}
	s.Milestones = append(s.Milestones, Milestone{name, prog})
	return nil
}

// Occurrence is one date of a series with all that hangs on it.
type Occurrence struct {
	Moved
	ID    string
	Row   []eval.Value  // by the slots of Names
	Whys  [][]eval.Move // of each milestone
	Clock int           // minutes after midnight where the rule says at, else -1
}

// Value is the date itself, with its time if it has one.
func (o *Occurrence) Value() eval.Value { return o.Row[slotDate] }

// Milestone returns the value of milestone i.
func (o *Occurrence) Milestone(i int) eval.Value { return o.Row[slotMilestones+i] }

// Occurrences yields the occurrences whose moved date lies in window.
func (s *Series) Occurrences(window civil.Span) iter.Seq2[*Occurrence, error] {
	return func(yield func(*Occurrence, error) bool) {
		number, year := 0, 0
		var before Moved // the date before, moved
		first := true
		for m, err := range Dates(s.Rec, window) {
			if err != nil {
				yield(nil, err)
				return
			}
			m.Moves = slices.Clone(m.Moves)
			if y := m.Date.Date.Year(); first || y != year {
				number, year = s.place(m.Date.Date), y
			}
			if first {
				before = s.before(m.Date.Date)
				first = false
			}
			o, err := s.occurrence(m, before, number)
			if err != nil {
				yield(nil, err)
				return
			}
			if !yield(o, nil) {
				return
			}
			before = m
			number++
		}
	}
}

// place numbers a nominal date within its year, from 1.
func (s *Series) place(d civil.Date) int {
	n := 0
	y, _ := civil.Of(d.Year(), 1, 1)
	for range s.Rec.Rule.All(civil.Span{First: y, Last: d}) {
		n++
	}
	return n
}

// before returns the date before a nominal one; zero when there is none.
func (s *Series) before(d civil.Date) (m Moved) {
	prev, ok := s.Rec.Rule.Before(d)
	if !ok {
		return m
	}
	to, _, err := s.Rec.Chain.Run(prev.Date, nil, nil)
	if err != nil {
		to = civil.None
	}
	return Moved{Date: prev, To: to}
}

// Moment is a moved date of the series, with the time that its rule gives.
func (s *Series) Moment(d civil.Date) eval.Value {
	if at := s.Rec.Chain.Minutes; at >= 0 {
		return eval.Value{Kind: eval.Moment, Day: d, Minutes: int16(at)}
	}
	return eval.Day(d)
}

func (s *Series) occurrence(m, before Moved, number int) (*Occurrence, error) {
	nominal := m.Date.Date
	next, _ := s.Rec.Rule.After(nominal)
	row := make([]eval.Value, slotMilestones+len(s.Milestones))
	row[slotNominal] = eval.Day(nominal)
	row[slotDate] = s.Moment(m.To)
	row[slotPreviousNominal] = eval.Day(before.Date.Date)
	row[slotPreviousDate] = eval.Day(before.To)
	row[slotNextNominal] = eval.Day(next.Date)
	row[slotNumber] = eval.Int(number)
	row[slotTitle] = eval.Str(s.Title)
	row[slotPeriodStart] = eval.Day(s.defaultStart(nominal, before.Date.Date))
	row[slotPeriodEnd] = row[slotNominal]
	o := &Occurrence{Moved: m, ID: string(s.Rec.Rule.AppendID(nil, m.Date)), Row: row, Clock: s.Rec.Chain.Minutes}
	start, end := row[slotPeriodStart], row[slotPeriodEnd]
	var err error
	if s.Start != nil {
		if start, _, err = s.Start.Eval(row, nil); err != nil {
			return nil, err
		}
	}
	if s.End != nil {
		if end, _, err = s.End.Eval(row, nil); err != nil {
			return nil, err
		}
	}
	row[slotPeriodStart], row[slotPeriodEnd] = start, end
	for i, ms := range s.Milestones {
		v, why, err := ms.Prog.Eval(row, nil)
		if err != nil {
			return nil, err
		}
		row[slotMilestones+i] = v
		o.Whys = append(o.Whys, why)
	}
	return o, nil
}

// defaultStart is the first day of the default period: the day after the
// nominal date before. The first date of all has none before it: its period
// begins with the rule's `from`, or, where the date is `from` itself, with the
// day after the date that the cadence would have had before.
func (s *Series) defaultStart(nominal, before civil.Date) civil.Date {
	if before != civil.None {
		return before + 1
	}
	r := *s.Rec.Rule
	if r.From == civil.None || r.From < nominal {
		return r.From
	}
	early, ok := r.Earlier(nominal)
	if !ok {
		return civil.None
	}
	return early + 1
}

// Calendars returns the calendars that the series counts with, each once.
func (s *Series) Calendars() []*workdays.Calendar {
	list := Calendars(s.Rec)
	for _, m := range s.Milestones {
		list = appendChain(list, m.Prog.Chain())
	}
	return list
}

// Calendars returns the calendars that a recurrence counts with, each once.
func Calendars(r *eval.Recurrence) []*workdays.Calendar {
	var list []*workdays.Calendar
	if r.Rule.Counts() {
		list = append(list, r.Rule.Calendar)
	}
	return appendChain(list, r.Chain)
}

func appendChain(list []*workdays.Calendar, c *eval.Chain) []*workdays.Calendar {
	if c == nil {
		return list
	}
	for _, s := range c.Steps {
		if s.Calendar != nil && !slices.Contains(list, s.Calendar) {
			list = append(list, s.Calendar)
		}
	}
	return list
}

// After implements eval.Series: the first moved date after d.
func (s *Series) After(d civil.Date, on bool) (civil.Date, bool) {
	if !on {
		d++
	}
	for m, err := range Dates(s.Rec, civil.Span{First: d, Last: civil.Max}) {
		return m.To, err == nil
	}
	return civil.None, false
}

// Before implements eval.Series: the last moved date before d.
func (s *Series) Before(d civil.Date, on bool) (last civil.Date, ok bool) {
	if !on {
		d--
	}
	for width := 2 * s.Rec.Rule.Stride(); d.Valid(); width *= 4 {
		w := civil.Span{First: d, Last: d}.Widen(width, 0)
		for m, err := range Dates(s.Rec, w) {
			if err != nil {
				return civil.None, false
			}
			last, ok = m.To, true
		}
		if ok || w.First == civil.Min {
			return last, ok
		}
	}
	return civil.None, false
}
