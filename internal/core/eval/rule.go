package eval

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// Recurrence is a compiled rule: nominal dates and what moves them.
type Recurrence struct {
	Text  string // canonical
	Rule  *recur.Rule
	Chain *Chain
	// Row holds what the names in its steps stand for; nil if there are none.
	Row []Value
	// Shared says that the rule is the same one for many rows.
	Shared         bool
	excludedSeries []Series // on whose dates it gives none
}

// UsesCalendar reports whether the nominal dates depend on a working calendar, its own or that of
// a series whose dates it leaves out.
func (r *Recurrence) UsesCalendar() bool { return len(r.excludedSeries) > 0 || r.Rule.UsesCalendar() }

// UncoveredAt is the calendar that was asked for a nominal date beyond what it knows.
func (r *Recurrence) UncoveredAt(nominal civil.Date) (beyond workdays.Uncovered) {
	if r.Rule.UsesCalendar() && !r.Rule.Calendar.Covers(nominal) {
		return workdays.Uncovered{Calendar: r.Rule.Calendar, Day: nominal}
	}
	for _, s := range r.excludedSeries { // had it known, a date near by might have been this one
		if s.Count(nominal-nearbyDays, nominal+nearbyDays) == 0 { // one that is always empty isn't searched to its end
			continue
		}
		for _, look := range []func(civil.Date, bool) (civil.Date, bool){s.After, s.Before} {
			if d, ok := look(nominal, true); ok {
				beyond = beyond.OrElse(s.UncoveredAt(d))
			}
		}
	}
	return beyond
}

// nearbyDays is how far a date lies at most that an unknown holiday may have moved.
const nearbyDays = 366

// isExcluded reports whether one of the series that are left out has a date on d.
func (r *RowRule) isExcluded(d civil.Date) bool {
	for _, s := range r.excludedSeries {
		if s.Count(d-1, d) > 0 {
			return true
		}
	}
	return false
}

// CompileRule compiles a rule that needs no row. Errors are of type *phrase.Error.
func CompileRule(text string, env Env) (*Recurrence, error) {
	r, err := CompileRowRule(text, env)
	if err == nil && r.ruleSlot >= 0 {
		err = r.compiler.fail(r.node.Span, "`rule in` is for tables, whose rows have rules of their own", "")
	}
	if err != nil {
		return nil, err
	}
	rec, _, err := r.ForRow(nil, civil.None, true)
	return rec, err
}

// RowRule is a rule whose dates may be names: it gives a recurrence for each row
// of a table.
type RowRule struct {
	compiler         *compiler
	node             *phrase.Rule
	cal              *workdays.Calendar
	chain            *Chain
	text             string
	labels           []string
	from, until      dateFunc // nil if absent
	backFrom         dateFunc
	exclude, include []dateFunc
	excludedSpans    []civil.Span
	excludeClosed    bool // leaves out closed days
	excludedSeries   []Series
	every, times     intFunc
	untilE, backE    phrase.Expr
	choose           *dateChoice // the date that is chosen before the steps; nil if none is
	constant         bool        // it is the same for all rows
	once             sync.Once
	shared           *Recurrence // of a constant rule
	sharedErr        error
	ruleSlot         int // the column that holds the rule of each row; -1 if none does
	cells            compiledTexts[*RowRule]
	// perCalendar picks the rule that counts with the calendar of the row; nil if all have one.
	perCalendar func(row []Value) (**RowRule, error)
}

// ruleBy compiles a rule once for each calendar that a column names.
func (c *compiler) ruleBy(column *phrase.Name, n *phrase.Rule, text string) (*RowRule, error) {
	r := &RowRule{compiler: c, node: n, text: n.Canonical(), ruleSlot: -1}
	var err error
	r.perCalendar, err = perCalendar(c, column, func(inner *compiler) (*RowRule, error) {
		env := inner.Env
		env.CalendarColumn, env.calendarChosen = "", true
		return CompileRowRule(text, env)
	})
	if err != nil {
		return nil, err
	}
	return r, nil
}

// CompileRowRule compiles a rule against the names of env.
func CompileRowRule(text string, env Env) (*RowRule, error) {
	n, err := phrase.ParseRule(text)
	if err != nil {
		return nil, err
	}
	var used []int // whether its dates are those of the row
	outer := env.Uses.All
	env.Uses.All = &used
	c := newCompiler(text, env)
	defer func() {
		for _, slot := range used {
			c.noteSlot(outer, slot)
		}
	}()
	if n.Column != nil {
		return c.ruleInColumn(n)
	}
	if column := c.calendarColumn(n.Using, n.Span); column != nil {
		return c.ruleBy(column, n, text)
	}
	if n.Using != nil {
		if c.Calendar, err = c.calendar(n.Using); err != nil {
			return nil, err
		}
	}
	if n.UsesCalendar() {
		c.Calendar.MarkUsed()
	}
	r := &RowRule{compiler: c, node: n, cal: c.Calendar, text: n.Canonical(), labels: n.Labels(), untilE: n.Until,
		backE: n.BackFrom, ruleSlot: -1}
	if err := r.compileClauses(); err != nil {
		return nil, err
	}
	r.constant = len(used) == 0
	return r, nil
}

// ruleInColumn compiles `rule in COL`.
func (c *compiler) ruleInColumn(n *phrase.Rule) (*RowRule, error) {
	if len(c.Names) == 0 {
		return nil, c.fail(n.Span, "`rule in` is for tables, whose rows have rules of their own",
			"for example: yoyaku spread filings.csv --dates 'rule in rule'")
	}
	slot, err := c.slot(n.Column)
	if err != nil {
		return nil, err
	}
	c.noteSlot(c.Uses.Cells, slot)
	return &RowRule{compiler: c, node: n, text: n.Canonical(), ruleSlot: slot}, nil
}

// compileClauses compiles what the clauses of the rule say.
func (r *RowRule) compileClauses() (err error) {
	n, c := r.node, r.compiler
	for _, p := range []struct {
		to *dateFunc
		e  phrase.Expr
	}{{&r.from, n.From}, {&r.until, n.Until}, {&r.backFrom, n.BackFrom}} {
		if p.e != nil {
			if *p.to, err = c.dateOf(p.e); err != nil {
				return err
			}
		}
	}
	if err = r.compileExclusions(n.Exclude); err != nil {
		return err
	}
	for _, p := range []struct {
		to *intFunc
		e  phrase.Expr
	}{{&r.every, n.EveryBy}, {&r.times, n.TimesBy}} {
		if p.e != nil {
			if *p.to, err = c.amount(p.e); err != nil {
				return err
			}
		}
	}
	if r.include, err = c.dates(n.Include); err != nil {
		return err
	}
	if n.Choice != nil {
		if r.choose, err = c.choose(n.Choice); err != nil {
			return err
		}
	}
	r.chain, err = c.chain(n.Then)
	return err
}

// compileCell is the rule that a cell holds.
func (r *RowRule) compileCell(text string) (*RowRule, error) {
	return r.cells.compileCell(text, func(text string) (*RowRule, error) {
		rule, err := CompileRowRule(text, r.compiler.Env.withoutCollectors())
		if err == nil && rule.ruleSlot >= 0 {
			err = rule.compiler.fail(rule.node.Span, "`rule in` can't be used inside a cell", "")
		}
		return rule, err
	})
}

// FromCells reports whether each row's rule is in a cell.
func (r *RowRule) FromCells() bool { return r.ruleSlot >= 0 }

// CellText is the cell that holds the rule of a row; "" if none does.
func (r *RowRule) CellText(row []Value) string {
	if r.ruleSlot < 0 {
		return ""
	}
	return row[r.ruleSlot].Text
}

// compileExclusions compiles what a rule leaves out.
func (r *RowRule) compileExclusions(list []phrase.Expr) error {
	for _, e := range list {
		switch e := e.(type) {
		case *phrase.ClosedDays:
			r.excludeClosed = true
		case *phrase.DateRange:
			s, err := r.compiler.stretch(e)
			if err != nil {
				return err
			}
			r.excludedSpans = append(r.excludedSpans, s)
		default:
			if name, ok := e.(*phrase.Name); ok && !r.compiler.knows(name.Text) {
				left, err := r.compiler.excludedSeries(name)
				if err != nil {
					return err
				}
				r.excludedSeries = append(r.excludedSeries, left...)
				continue
			}
			f, err := r.compiler.dateOf(e)
			if err != nil {
				return err
			}
			r.exclude = append(r.exclude, f)
		}
	}
	return nil
}

// excludedSeries are the series on whose dates a rule gives none.
func (c *compiler) excludedSeries(name *phrase.Name) ([]Series, error) {
	if c.FindAllSeries != nil {
		if list, err := c.FindAllSeries(name.Text); err != nil || len(list) > 0 {
			return list, err
		}
	}
	if len(c.SeriesNames) == 0 && len(c.Names) > 0 { // a column was meant
		_, err := c.slot(name)
		return nil, err
	}
	return nil, c.fail(name.Span, fmt.Sprintf("unknown series `%s`", name.Text), suggestName(name.Text, "series", c.SeriesNames))
}

// stretch works out A..B, whose ends may be periods.
func (c *compiler) stretch(e *phrase.DateRange) (civil.Span, error) {
	a, ok := c.Fiscal.ParseSpan(e.A)
	b, ok2 := c.Fiscal.ParseSpan(e.B)
	switch {
	case !ok || !ok2:
		return a, c.fail(e.Span, "no such period: "+e.A+".."+e.B, "a fiscal year of whole weeks has no 53rd week every year")
	case b.Last < a.First:
		return a, c.fail(e.Span, "this range ends before it starts: "+a.First.String()+" to "+b.Last.String(), "")
	}
	return civil.Span{First: a.First, Last: b.Last}, nil
}

func (c *compiler) dates(list []phrase.Expr) (fs []dateFunc, err error) {
	for _, e := range list {
		f, err := c.dateOf(e)
		if err != nil {
			return nil, err
		}
		fs = append(fs, f)
	}
	return fs, nil
}

// RowState says how a row's rule was given.
type RowState uint8

// The states.
const (
	RowComplete   RowState = iota
	RowBlank               // a blank makes the row blank: it has no recurrence
	RowOpenEnded           // a blank end runs through a day
	RowNotStarted          // so it would, but the row starts after that day
	RowNeedsCells          // its rule looks at cells that it must be asked with again
)

// ForRow gives the recurrence of a row. A blank end runs through a day; any other
// blank makes the row blank, and its recurrence nil. all says that row has all cells, and not
// only that of a rule that is in one.
func (r *RowRule) ForRow(row []Value, through civil.Date, all bool) (rec *Recurrence, state RowState, err error) {
	if r.perCalendar != nil {
		own, err := r.perCalendar(row)
		if err != nil || own == nil {
			return nil, RowBlank, err
		}
		return (*own).ForRow(row, through, all)
	}
	if r.ruleSlot >= 0 {
		text := row[r.ruleSlot].String()
		if strings.TrimSpace(text) == "" {
			return nil, RowBlank, nil
		}
		own, err := r.compileCell(text)
		if err != nil {
			return nil, RowComplete, err
		}
		if !own.constant && !all {
			return nil, RowNeedsCells, nil
		}
		return own.ForRow(row, through, true)
	}
	if r.constant {
		r.once.Do(func() {
			if r.shared, _, r.sharedErr = r.recurrence(nil, civil.None); r.shared != nil {
				r.shared.Shared = true
			}
		})
		return r.shared, RowComplete, r.sharedErr
	}
	return r.recurrence(row, through)
}

// recurrence works the recurrence of a row out.
func (r *RowRule) recurrence(row []Value, through civil.Date) (rec *Recurrence, state RowState, err error) {
	n, c := r.node, r.compiler
	rule := r.template()
	var dates rowDates
	rule.From = dates.at(r.from, row)
	rule.BackFrom = dates.at(r.backFrom, row)
	switch {
	case dates.err != nil:
		return nil, RowComplete, dates.err
	case dates.blank:
		return nil, RowBlank, nil
	}
	if rule.Until = dates.at(r.until, row); dates.blank { // an open end; a row that has yet to begin has no dates
		if state = RowOpenEnded; through < rule.From {
			return nil, RowNotStarted, nil
		}
		rule.Until, dates.blank = through, false
	}
	for _, f := range r.exclude {
		d := dates.at(f, row)
		rule.Exclude = append(slices.Clip(rule.Exclude), civil.Span{First: d, Last: d})
	}
	for _, f := range r.include {
		rule.Include = append(rule.Include, dates.at(f, row))
	}
	if dates.err != nil {
		return nil, state, dates.err
	}
	none, err := r.setNumbers(row, rule)
	if err != nil {
		return nil, state, err
	}
	switch {
	case dates.blank || none:
		return nil, RowBlank, nil
	case rule.Until != civil.None && rule.Until < rule.From:
		return nil, state, c.fail(r.untilE.Pos(),
			"the rule ends before it starts: "+rule.From.String()+" to "+rule.Until.String(), "")
	case rule.BackFrom != civil.None && rule.BackFrom < rule.From:
		return nil, state, c.fail(r.backE.Pos(), "the rule's last date is before `from`", "")
	case n.IsListed:
		rule = recur.Dates(rule.Include)
	case n.RRule != nil:
		if rule, err = r.fromRRule(rule); err != nil {
			return nil, state, err
		}
	}
	if !n.IsListed {
		rule.Prepare()
	}
	chain := r.chain
	if r.choose != nil {
		chain = r.choose.chainWith(chain, rule)
	}
	return &Recurrence{Text: r.text, Rule: rule, Chain: chain, Row: row, excludedSeries: r.excludedSeries}, state, nil
}

// template returns what of the rule is the same for all rows.
func (r *RowRule) template() *recur.Rule {
	n := r.node
	rule := &recur.Rule{Unit: n.Unit, Working: n.Working, Every: n.Every, MaxDates: n.Times, SkipShort: n.SkipShort,
		Frame: r.compiler.Fiscal, Calendar: r.cal, Labels: r.labels, Exclude: r.excludedSpans, ExcludeClosed: r.excludeClosed}
	if len(r.excludedSeries) > 0 {
		rule.ExcludeFunc = r.isExcluded
	}
	for _, d := range n.On {
		rule.Items = append(rule.Items, d.Item)
	}
	for _, m := range n.Months {
		rule.Months |= 1 << m
	}
	return rule
}

// fromRRule returns the rule of an RFC 5545 text that begins and leaves out as rule does.
func (r *RowRule) fromRRule(rule *recur.Rule) (*recur.Rule, error) {
	rr, err := r.node.RRule.Rule(rule.From)
	if err != nil {
		return nil, r.compiler.fail(r.node.Span, err.Error(), "")
	}
	rr.Exclude, rr.ExcludeClosed, rr.ExcludeFunc = rule.Exclude, rule.ExcludeClosed, rule.ExcludeFunc
	rr.Include, rr.Calendar = rule.Include, r.cal
	return rr, nil
}

// rowDates computes dates of one row: blank if one of them is, err the first fault.
type rowDates struct {
	blank bool
	err   error
}

// at returns a date; None if it is blank, f is nil or an earlier one failed.
func (d *rowDates) at(f dateFunc, row []Value) civil.Date {
	if f == nil || d.err != nil {
		return civil.None
	}
	day, _, err := f(row)
	if err != nil {
		d.err = err
		return civil.None
	}
	d.blank = d.blank || day == civil.None
	return day
}

// setNumbers fills in the numbers that a row gives; one that is blank makes it a blank
// row.
func (r *RowRule) setNumbers(row []Value, rule *recur.Rule) (blank bool, err error) {
	for _, p := range []struct {
		to  *int
		by  intFunc
		e   phrase.Expr
		per int
	}{{&rule.Every, r.every, r.node.EveryBy, r.node.Every}, {&rule.MaxDates, r.times, r.node.TimesBy, 1}} {
		if p.by == nil {
			continue
		}
		k, none, err := p.by(row)
		switch blank = blank || none; {
		case err != nil:
			return blank, err
		case !none && k < 1:
			return blank, r.compiler.fail(p.e.Pos(), "expected 1 or more, found "+Int(k).String(), "")
		}
		*p.to = k * p.per
	}
	return blank, nil
}
