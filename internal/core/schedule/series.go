package schedule

import (
	"fmt"
	"iter"
	"slices"
	"sort"
	"sync"

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
	slotID
	slotMilestones
)

// BaseNames are those names in that order. One that no phrase can name begins with a NUL.
var BaseNames = []string{"nominal", "date", "previous_nominal", "previous_date", "next_nominal",
	"period_start", "period_end", "number", "title", "\x00id"}

// Series is a named rule with what hangs on each of its dates.
type Series struct {
	Name, Title     string
	RuleText        string // as it was written; "" where Rules have their own
	Calendar        *workdays.Calendar
	Rules           []EffectiveRule // one, or several that follow each other
	Start, End      *eval.Program   // of the period; nil for the default
	Milestones      []Milestone
	Summary         *Template     // of its events; nil for the title
	Expects         *Expectations // what must hold of it; nil for nothing
	Reminders       []Reminder
	EventProperties EventProperties
	Private         bool     // its events are CLASS:PRIVATE, and those of milestones that don't say otherwise
	Owner           string   // of its own date, one of the people of the plan; "" for nobody
	Todo            bool     // its own date is a to-do
	Zone            string   // of its times; "" for that of the plan
	Patterns        []string // that it is like, the nearest first
	RuleMark        string   // of a rule alone: a hash of it and its calendar's name; "" for a series of a plan

	names           []string       // BaseNames and those of the milestones
	slots           map[string]int // of these, folded
	related         []*relatedDate // dates of other series that its phrases name
	overrides       *overrides
	dateCache       dateCache
	occurrenceCache occurrenceCache
	cache           *eval.SeriesCache // shared with series that it may look into
	recorded        sync.Map          // nominal dates that a beyond calendar was noted for
	titled          sync.Map          // events that take the title, since a name in their summary is blank
}

// Milestone is a date that hangs on the date of a series.
type Milestone struct {
	Name          string
	Program       *eval.Program
	Title         *Template // what its events are called; nil for the series and its name
	Owner         string    // one of the people of the plan; "" for nobody
	Todo, Private bool
	Public        bool // not private, whatever the series says

	reachBack, reachForward eval.Reach // how far before and after its occurrence's date it lies at most
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
	memory := env.Cache
	if memory == nil {
		memory = &eval.SeriesCache{}
	}
	return &Series{Name: name, Title: title, RuleText: rule, Calendar: env.Calendar, Rules: singleRule(rec), cache: memory}, nil
}

// singleRule is the rules of a series that has one.
func singleRule(rec *eval.Recurrence) []EffectiveRule {
	return []EffectiveRule{{Recurrence: rec, Span: civil.AllDays}}
}

// Names returns what a phrase of the series may use at this point: the base
// names and the milestones added so far.
func (s *Series) Names() []string {
	if len(s.names) != len(BaseNames)+len(s.Milestones) { // it is new, or a copy with other milestones
		s.names, s.slots = nil, map[string]int{}
		for _, name := range BaseNames {
			s.addName(name)
		}
		for _, m := range s.Milestones {
			s.addName(m.Name)
		}
	}
	return s.names[:len(s.names):len(s.names)]
}

// addName gives a name the next slot.
func (s *Series) addName(name string) {
	fold := phrase.FoldName(name)
	if _, has := s.slots[fold]; !has {
		s.slots[fold] = len(s.names)
	}
	s.names = append(s.names, name)
}

// Has reports whether a name stands for something in the phrases of the series.
func (s *Series) Has(name string) bool {
	s.Names()
	_, has := s.slots[phrase.FoldName(name)]
	return has
}

// bindNames has phrases use the names of the series.
func (s *Series) bindNames(env *eval.Env) { env.Names, env.SlotIndex = s.Names(), s.slots }

// SetPeriod compiles the phrases of the period; an empty one keeps the default.
// The phrases can't use the period itself.
func (s *Series) SetPeriod(start, end string, env eval.Env) (err error) {
	s.occurrenceCache.empty(s.cache)
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
	s.bindNames(&env)
	prog, err := eval.Compile(text, &phrase.Name{Text: "date"}, env)
	if err != nil {
		return err
	}
	m := Milestone{Name: name, Program: prog}
	m.reachBack, m.reachForward = s.reachOf(prog)
	s.addName(name)
	s.Milestones = append(s.Milestones, m)
	s.occurrenceCache.empty(s.cache)
	return nil
}

// Occurrence is one date of a series with all that hangs on it.
type Occurrence struct {
	MovedDate
	ID         string
	Row        []eval.Value // by the slots of Names
	Provenance []Provenance // of each milestone
	// AnyUncovered is the calendar that was asked for it or a milestone beyond what it knows.
	AnyUncovered workdays.Uncovered

	series *Series
}

// Provenance is why a milestone is what it is.
type Provenance struct {
	Moves     []eval.Move
	Uncovered workdays.Uncovered
	Override  *Override
	// beforeOverride is the milestone before a hand set it; nil if none did.
	beforeOverride *eval.Value
}

// Reason says it in words.
func (w Provenance) Reason() string { return reason(w.Moves, w.Override, w.Uncovered) }

// recordUncovered notes, once, that a calendar was asked for the occurrence beyond what it
// knows. Whoever shows an occurrence does.
func (o *Occurrence) recordUncovered() { o.series.recordUncovered(o.Date.Date, o.AnyUncovered) }

// RecordUncovered is Occurrence.recordUncovered for a date without its milestones.
func (s *Series) RecordUncovered(m *MovedDate) { s.recordUncovered(m.Date.Date, m.Uncovered) }

// recordUncovered is Occurrence.recordUncovered for a date without its milestones.
func (s *Series) recordUncovered(nominal civil.Date, asked workdays.Uncovered) {
	if asked.IsSet() {
		if _, known := s.recorded.LoadOrStore(nominal, true); !known {
			asked.Record()
		}
	}
}

// TitledNote says how many events took the series' title so far, since a name in their summary is
// blank; "" for none.
func (s *Series) TitledNote() string {
	n := 0
	s.titled.Range(func(any, any) bool { n++; return true })
	if n == 0 {
		return ""
	}
	return phrase.CountVerb(n, "event takes", "events take") + " the title: a name in the summary is blank there"
}

// Value is the date itself, with its time if it has one.
func (o *Occurrence) Value() eval.Value { return o.Row[slotDate] }

// Milestone returns the value of milestone i.
func (o *Occurrence) Milestone(i int) eval.Value { return o.Row[slotMilestones+i] }

// Occurrences yields the occurrences whose moved date lies in window. Those of a few
// years are held, since a plan asks for the same ones again and again, unless too much hangs
// on each.
func (s *Series) Occurrences(window civil.Span) iter.Seq2[*Occurrence, error] {
	if window.Len() > maxCachedDays || len(s.Milestones) > maxCachedMilestones {
		return s.occurrences(window)
	}
	return func(yield func(*Occurrence, error) bool) {
		list, err := s.occurrenceCache.load(s, window)
		at := sort.Search(len(list), func(i int) bool { return list[i].MovedTo >= window.First })
		for ; at < len(list) && list[at].MovedTo <= window.Last; at++ {
			if !yield(list[at], nil) {
				return
			}
		}
		if err != nil {
			yield(nil, err)
		}
	}
}

// occurrences makes what Occurrences yields.
func (s *Series) occurrences(window civil.Span) iter.Seq2[*Occurrence, error] {
	return func(yield func(*Occurrence, error) bool) {
		if !s.isSingleRule() {
			s.sortedOccurrences(window, yield)
			return
		}
		number, year := 0, 0
		var before MovedDate // the nominal date before, moved; blank or not
		first := true
		movedDates(s.Rules[0].Recurrence, window, true, func(now *MovedDate, err error) bool {
			m := *now
			if err != nil {
				yield(nil, err)
				return false
			}
			if y := s.yearOf(m.Date.Date); first || y != year {
				number, year = s.numberInYear(m.Date.Date), y
			}
			if first {
				before = s.previousDate(m.Date.Date)
				first = false
			}
			if window.Contains(m.MovedTo) {
				m.Moves = slices.Clone(m.Moves)
				o, err := s.occurrence(m, before, number)
				if !yield(o, err) || err != nil {
					return false
				}
			}
			before = m
			number++
			return true
		})
	}
}

// sortedOccurrences is Occurrences for a series whose dates don't come in the order of the nominal
// ones.
func (s *Series) sortedOccurrences(window civil.Span, yield func(*Occurrence, error) bool) {
	for m, err := range s.movedDates(window) {
		if err != nil {
			yield(nil, err)
			return
		}
		var before MovedDate
		number := 0
		if m.Override == nil || !m.Override.Removed {
			before, number = s.previousDate(m.Date.Date), s.numberInYear(m.Date.Date)
		}
		o, err := s.occurrence(*m, before, number)
		if !yield(o, err) || err != nil {
			return
		}
	}
}

// numberingUnit is the unit within which dates are numbered: the fiscal year for a fiscal
// cadence.
func (s *Series) numberingUnit() civil.Unit {
	if s.Rules[0].Recurrence.Rule.Unit >= civil.FiscalWeek {
		return civil.FiscalYear
	}
	return civil.Year
}

// yearOf numbers the year of a nominal date.
func (s *Series) yearOf(d civil.Date) int {
	if unit := s.numberingUnit(); unit != civil.Year {
		return s.fiscal().PeriodIndex(unit, d)
	}
	return d.Year()
}

// numberInYear numbers a nominal date within its year, from 1.
func (s *Series) numberInYear(d civil.Date) int {
	n := 0
	year, _ := s.fiscal().Period(s.numberingUnit(), s.yearOf(d))
	for range s.nominal(civil.Span{First: max(year.First, civil.Min), Last: d}) {
		n++
	}
	return n
}

// previousDate returns the date before a nominal one; zero when there is none.
func (s *Series) previousDate(d civil.Date) (m MovedDate) {
	prev, rec, ok := s.adjacentNominal(d, false)
	if !ok {
		return m
	}
	m, err := s.moveDate(prev, rec, nil)
	if err != nil {
		m.MovedTo = civil.None
	}
	return m
}

func (s *Series) occurrence(m, before MovedDate, number int) (*Occurrence, error) {
	nominal := m.Date.Date
	row := make([]eval.Value, slotMilestones+len(s.Milestones))
	row[slotNominal] = eval.Day(nominal)
	row[slotDate] = m.Value()
	row[slotTitle] = eval.Str(s.Title)
	o := &Occurrence{MovedDate: m, ID: m.ID(), Row: row, AnyUncovered: m.Uncovered, series: s}
	row[slotID] = eval.Str(o.ID)
	if m.Override != nil && m.Override.Removed {
		return o, s.milestones(o)
	}
	next, _, _ := s.adjacentNominal(nominal, true)
	start := defaultStart(m.Recurrence, nominal, before.Date.Date)
	row[slotPreviousNominal] = eval.Day(before.Date.Date)
	if before.Date.Date == civil.None && start > civil.Min { // so that the default period can be said
		row[slotPreviousNominal] = eval.Day(start - 1)
	}
	row[slotPreviousDate] = eval.Day(before.MovedTo)
	row[slotNextNominal] = eval.Day(next.Date)
	row[slotNumber] = eval.Int(number)
	row[slotPeriodStart] = eval.Day(start)
	row[slotPeriodEnd] = row[slotNominal]
	first, last := row[slotPeriodStart], row[slotPeriodEnd]
	// What a period asks in vain is noted with its occurrence, if that is shown.
	for _, edge := range []struct {
		prog *eval.Program
		to   *eval.Value
		name string
	}{{s.Start, &first, "start"}, {s.End, &last, "end"}} {
		if edge.prog == nil {
			continue
		}
		*edge.to = eval.Value{}
		asked, err := edge.prog.EvalTraced(row, nil, edge.to)
		if err != nil {
			return nil, fmt.Errorf("%s of the period of %s: %w", edge.name, o.Value(), err)
		}
		o.AnyUncovered = o.AnyUncovered.OrElse(asked)
	}
	row[slotPeriodStart], row[slotPeriodEnd] = first, last
	return o, s.milestones(o)
}

// milestones works out what hangs on an occurrence. One that the series no longer gives
// has only those that were set.
func (s *Series) milestones(o *Occurrence) error {
	gone := o.Override != nil && o.Override.Removed
	unsure := o.Uncovered
	o.Provenance = slices.Grow(o.Provenance, len(s.Milestones))
	for i, ms := range s.Milestones {
		var v eval.Value
		var why Provenance
		if !gone {
			var err error
			if why.Uncovered, err = ms.Program.EvalTraced(o.Row, &why.Moves, &v); err != nil {
				return fmt.Errorf("%s of %s: %w", ms.Name, o.Value(), err)
			}
		}
		if h := s.overrideFor(ms.Name, o.Date.Date, func() string { return o.ID }); h != nil {
			unset := v
			why.beforeOverride = &unset
			v, why.Override, why.Uncovered = h.applyTo(v, ms.Program.Chain()), h, noUncovered
		}
		if !unsure.IsSet() {
			unsure = why.Uncovered
		}
		if v.Provisional && !why.Uncovered.IsSet() { // reckoned from what is unsure
			why.Uncovered = unsure
		}
		if !o.AnyUncovered.IsSet() {
			o.AnyUncovered = why.Uncovered
		}
		o.Row[slotMilestones+i] = v
		o.Provenance = append(o.Provenance, why)
	}
	return nil
}

// defaultStart is the first day of the default period: the day after the
// nominal date before. The first date of all has none before it: its period
// begins with the rule's `from`, or, where the date is `from` itself, with the
// day after the date that the cadence would have had before.
func defaultStart(rec *eval.Recurrence, nominal, before civil.Date) civil.Date {
	if before != civil.None {
		return before + 1
	}
	r := *rec.Rule
	if r.From == civil.None || r.From < nominal {
		return r.From
	}
	early, ok := r.DateBeforeStart(nominal)
	if !ok {
		return civil.None
	}
	return early + 1
}
