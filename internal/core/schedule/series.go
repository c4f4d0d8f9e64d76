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
	Name, Title string
	RuleText    string // as it was written; "" where Rules have their own
	Calendar    *workdays.Calendar
	Rules       []Ruled       // one, or several that follow each other
	Start, End  *eval.Program // of the period; nil for the default
	Milestones  []Milestone
	Summary     *Template // of its events; nil for the title
	Expects     *Expects  // what must hold of it; nil for nothing
	Reminders   []Reminder
	Look        Look
	Private     bool     // its events are CLASS:PRIVATE, and those of milestones that don't say otherwise
	Owner       string   // of its own date, one of the people of the plan; "" for nobody
	Todo        bool     // its own date is a to-do
	Zone        string   // of its times; "" for that of the plan
	Patterns    []string // that it is like, the nearest first

	names   []string       // BaseNames and those of the milestones
	slots   map[string]int // of these, folded
	related []*related     // dates of other series that its phrases name
	hands   *hands
	made    made
	held    held
	memory  *eval.Memory // shared with series that it may look into
	noted   sync.Map     // nominal dates that a beyond calendar was noted for
}

// Milestone is a date that hangs on the date of a series.
type Milestone struct {
	Name          string
	Prog          *eval.Program
	Title         *Template // what its events are called; nil for the series and its name
	Owner         string    // one of the people of the plan; "" for nobody
	Todo, Private bool
	Public        bool // not private, whatever the series says

	back, forth eval.Reach // how far before and after its occurrence's date it lies at most
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
	memory := env.Memory
	if memory == nil {
		memory = &eval.Memory{}
	}
	return &Series{Name: name, Title: title, RuleText: rule, Calendar: env.Calendar, Rules: of(rec), memory: memory}, nil
}

// of is the rules of a series that has one.
func of(rec *eval.Recurrence) []Ruled { return []Ruled{{Rec: rec, Span: civil.Always}} }

// Names returns what a phrase of the series may use at this point: the base
// names and the milestones added so far.
func (s *Series) Names() []string {
	if len(s.names) != len(BaseNames)+len(s.Milestones) { // it is new, or a copy with other milestones
		s.names, s.slots = nil, map[string]int{}
		for _, name := range BaseNames {
			s.named(name)
		}
		for _, m := range s.Milestones {
			s.named(m.Name)
		}
	}
	return s.names[:len(s.names):len(s.names)]
}

// named gives a name the next slot.
func (s *Series) named(name string) {
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

// lend has phrases use the names of the series.
func (s *Series) lend(env *eval.Env) { env.Names, env.Slots = s.Names(), s.slots }

// SetPeriod compiles the phrases of the period; an empty one keeps the default.
// The phrases can't use the period itself.
func (s *Series) SetPeriod(start, end string, env eval.Env) (err error) {
	s.held.forget(s.memory)
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
	s.lend(&env)
	prog, err := eval.Compile(text, &phrase.Name{Text: "date"}, env)
	if err != nil {
		return err
	}
	m := Milestone{Name: name, Prog: prog}
	m.back, m.forth = s.reachOf(prog)
	s.named(name)
	s.Milestones = append(s.Milestones, m)
	s.held.forget(s.memory)
	return nil
}

// Occurrence is one date of a series with all that hangs on it.
type Occurrence struct {
	Moved
	ID   string
	Row  []eval.Value // by the slots of Names
	Whys []Why        // of each milestone
	// Asked is the calendar that was asked for it or a milestone beyond what it knows.
	Asked workdays.Beyond

	series *Series
}

// Why is why a milestone is what it is.
type Why struct {
	Moves  []eval.Move
	Beyond workdays.Beyond
	Hand   *Hand
	// unset is the milestone before a hand set it; nil if none did.
	unset *eval.Value
}

// Reason says it in words.
func (w Why) Reason() string { return reason(w.Moves, w.Hand, w.Beyond) }

// Note notes, once, that a calendar was asked for the occurrence beyond what it
// knows. Whoever shows an occurrence does.
func (o *Occurrence) Note() { o.series.note(o.Date.Date, o.Asked) }

// Note is Occurrence.Note for a date alone.
func (s *Series) Note(m *Moved) { s.note(m.Date.Date, m.Beyond) }

func (s *Series) note(nominal civil.Date, asked workdays.Beyond) {
	if asked.Is() {
		if _, known := s.noted.LoadOrStore(nominal, true); !known {
			asked.Note()
		}
	}
}

// Value is the date itself, with its time if it has one.
func (o *Occurrence) Value() eval.Value { return o.Row[slotDate] }

// Milestone returns the value of milestone i.
func (o *Occurrence) Milestone(i int) eval.Value { return o.Row[slotMilestones+i] }

// Occurrences yields the occurrences whose moved date lies in window. Those of a few
// years are held, since a plan asks for the same ones again and again, unless too much hangs
// on each.
func (s *Series) Occurrences(window civil.Span) iter.Seq2[*Occurrence, error] {
	if window.Len() > mostHeld || len(s.Milestones) > mostHung {
		return s.occurrences(window)
	}
	return func(yield func(*Occurrence, error) bool) {
		list, err := s.held.reach(s, window)
		at := sort.Search(len(list), func(i int) bool { return list[i].To >= window.First })
		for ; at < len(list) && list[at].To <= window.Last; at++ {
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
		if !s.plain() {
			s.sorted(window, yield)
			return
		}
		number, year := 0, 0
		var before Moved // the nominal date before, moved; blank or not
		first := true
		all(s.Rules[0].Rec, window, true, func(now *Moved, err error) bool {
			m := *now
			if err != nil {
				yield(nil, err)
				return false
			}
			if y := s.yearOf(m.Date.Date); first || y != year {
				number, year = s.place(m.Date.Date), y
			}
			if first {
				before = s.before(m.Date.Date)
				first = false
			}
			if window.Has(m.To) {
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

// sorted is Occurrences for a series whose dates don't come in the order of the nominal
// ones.
func (s *Series) sorted(window civil.Span, yield func(*Occurrence, error) bool) {
	for m, err := range s.all(window) {
		if err != nil {
			yield(nil, err)
			return
		}
		var before Moved
		number := 0
		if m.Hand == nil || !m.Hand.Gone {
			before, number = s.before(m.Date.Date), s.place(m.Date.Date)
		}
		o, err := s.occurrence(*m, before, number)
		if !yield(o, err) || err != nil {
			return
		}
	}
}

// yearly is the unit within which dates are numbered: the fiscal year for a fiscal
// cadence.
func (s *Series) yearly() civil.Unit {
	if s.Rules[0].Rec.Rule.Unit >= civil.FiscalWeek {
		return civil.FiscalYear
	}
	return civil.Year
}

// yearOf numbers the year of a nominal date.
func (s *Series) yearOf(d civil.Date) int {
	if unit := s.yearly(); unit != civil.Year {
		return s.frame().Index(unit, d)
	}
	return d.Year()
}

// place numbers a nominal date within its year, from 1.
func (s *Series) place(d civil.Date) int {
	n := 0
	year, _ := s.frame().Period(s.yearly(), s.yearOf(d))
	for range s.nominal(civil.Span{First: max(year.First, civil.Min), Last: d}) {
		n++
	}
	return n
}

// before returns the date before a nominal one; zero when there is none.
func (s *Series) before(d civil.Date) (m Moved) {
	prev, rec, ok := s.beside(d, false)
	if !ok {
		return m
	}
	m, err := s.run(prev, rec, nil)
	if err != nil {
		m.To = civil.None
	}
	return m
}

func (s *Series) occurrence(m, before Moved, number int) (*Occurrence, error) {
	nominal := m.Date.Date
	row := make([]eval.Value, slotMilestones+len(s.Milestones))
	row[slotNominal] = eval.Day(nominal)
	row[slotDate] = m.Value()
	row[slotTitle] = eval.Str(s.Title)
	o := &Occurrence{Moved: m, ID: m.ID(), Row: row, Asked: m.Beyond, series: s}
	row[slotID] = eval.Str(o.ID)
	if m.Hand != nil && m.Hand.Gone {
		return o, s.milestones(o)
	}
	next, _, _ := s.beside(nominal, true)
	start := defaultStart(m.Rec, nominal, before.Date.Date)
	row[slotPreviousNominal] = eval.Day(before.Date.Date)
	if before.Date.Date == civil.None && start > civil.Min { // so that the default period can be said
		row[slotPreviousNominal] = eval.Day(start - 1)
	}
	row[slotPreviousDate] = eval.Day(before.To)
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
		asked, err := edge.prog.Work(row, nil, edge.to)
		if err != nil {
			return nil, fmt.Errorf("%s of the period of %s: %w", edge.name, o.Value(), err)
		}
		o.Asked = o.Asked.Or(asked)
	}
	row[slotPeriodStart], row[slotPeriodEnd] = first, last
	return o, s.milestones(o)
}

// milestones works out what hangs on an occurrence. One that the series no longer gives
// has only those that were set.
func (s *Series) milestones(o *Occurrence) error {
	gone := o.Hand != nil && o.Hand.Gone
	unsure := o.Beyond
	o.Whys = slices.Grow(o.Whys, len(s.Milestones))
	for i, ms := range s.Milestones {
		var v eval.Value
		var why Why
		if !gone {
			var err error
			if why.Beyond, err = ms.Prog.Work(o.Row, &why.Moves, &v); err != nil {
				return fmt.Errorf("%s of %s: %w", ms.Name, o.Value(), err)
			}
		}
		if h := s.hand(ms.Name, o.Date.Date, func() string { return o.ID }); h != nil {
			unset := v
			why.unset = &unset
			v, why.Hand, why.Beyond = h.set(v, ms.Prog.Chain()), h, beyondNone
		}
		if !unsure.Is() {
			unsure = why.Beyond
		}
		if v.Unsure && !why.Beyond.Is() { // reckoned from what is unsure
			why.Beyond = unsure
		}
		if !o.Asked.Is() {
			o.Asked = why.Beyond
		}
		o.Row[slotMilestones+i] = v
		o.Whys = append(o.Whys, why)
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
	early, ok := r.Earlier(nominal)
	if !ok {
		return civil.None
	}
	return early + 1
}
