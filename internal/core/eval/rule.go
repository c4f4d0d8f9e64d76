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
	Shared bool
	left   []Series // on whose dates it gives none
}

// Counts reports whether the nominal dates depend on a working calendar, its own or that of
// a series whose dates it leaves out.
func (r *Recurrence) Counts() bool { return len(r.left) > 0 || r.Rule.Counts() }

// Beyond is the calendar that was asked for a nominal date beyond what it knows.
func (r *Recurrence) Beyond(nominal civil.Date) (beyond workdays.Beyond) {
	if r.Rule.Counts() && !r.Rule.Calendar.Knows(nominal) {
		return workdays.Beyond{Calendar: r.Rule.Calendar, Day: nominal}
	}
	for _, s := range r.left { // had it known, a date near by might have been this one
		for _, look := range []func(civil.Date, bool) (civil.Date, bool){s.After, s.Before} {
			if d, ok := look(nominal, true); ok {
				beyond = beyond.Or(s.Beyond(d))
			}
		}
	}
	return beyond
}

// has reports whether one of the series that are left out has a date on d.
func (r *RowRule) has(d civil.Date) bool {
	for _, s := range r.left {
		if at, ok := s.After(d, true); ok && at == d {
			return true
		}
	}
	return false
}

// CompileRule compiles the text of a rule. Errors are of type *phrase.Error.
func CompileRule(text string, env Env) (*Recurrence, error) {
	r, err := CompileRowRule(text, env)
	if err == nil && r.in >= 0 {
		err = r.c.fail(r.node.Span, "`rule in` is for tables, whose rows have rules of their own", "")
	}
	if err != nil {
		return nil, err
	}
	rec, _, err := r.For(nil, civil.None, true)
	return rec, err
}

// RowRule is a rule whose dates may be names: it gives a recurrence for each row
// of a table.
type RowRule struct {
	c             *compiler
	node          *phrase.Rule
	cal           *workdays.Calendar
	chain         *Chain
	text          string
	labels        []string
	from, until   dates // nil if absent
	back          dates
	without, plus []dates
	stretches     []civil.Span
	closed        bool // leaves out closed days
	left          []Series
	every, times  wholes
	untilE, backE phrase.Expr
	choose        *choice // the date that is chosen before the steps; nil if none is
	constant      bool    // it is the same for all rows
	once          sync.Once
	all           *Recurrence // of a constant rule
	allErr        error
	in            int // the column that holds the rule of each row; -1 if none does
	cells         texts[*RowRule]
	// by picks the rule that counts with the calendar of the row; nil if all have one.
	by func(row []Value) (**RowRule, error)
}

// ruleBy compiles a rule once for each calendar that a column names.
func (c *compiler) ruleBy(column *phrase.Name, n *phrase.Rule, text string) (*RowRule, error) {
	r := &RowRule{c: c, node: n, text: n.Canonical(), in: -1}
	var err error
	r.by, err = chooser(c, column, func(inner *compiler) (*RowRule, error) {
		env := inner.Env
		env.CalendarColumn, env.chosen = "", true
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
			c.note(outer, slot)
		}
	}()
	if n.In != nil {
		r := &RowRule{c: c, node: n, text: n.Canonical()}
		if len(env.Names) == 0 {
			return nil, c.fail(n.Span, "`rule in` is for tables, whose rows have rules of their own",
				"for example: yoyaku spread filings.csv --dates 'rule in rule'")
		}
		if r.in, err = c.slot(n.In); err == nil {
			c.note(c.Uses.Cells, r.in)
			return r, nil
		}
		return nil, err
	}
	if column := c.byColumnOf(n.Using, n.Span); column != nil {
		return c.ruleBy(column, n, text)
	}
	if n.Using != nil {
		if c.Calendar, err = c.calendar(n.Using); err != nil {
			return nil, err
		}
	}
	if n.Counts() {
		c.Calendar.Need()
	}
	r := &RowRule{c: c, node: n, cal: c.Calendar, text: n.Canonical(), labels: n.Labels(), untilE: n.Until,
		backE: n.Back, in: -1}
	for _, p := range []struct {
		to *dates
		e  phrase.Expr
	}{{&r.from, n.From}, {&r.until, n.Until}, {&r.back, n.Back}} {
		if p.e != nil {
			if *p.to, err = c.dateOf(p.e); err != nil {
				return nil, err
			}
		}
	}
	if err = r.leftOut(n.Without); err != nil {
		return nil, err
	}
	for _, p := range []struct {
		to *wholes
		e  phrase.Expr
	}{{&r.every, n.EveryBy}, {&r.times, n.TimesBy}} {
		if p.e != nil {
			if *p.to, err = c.amount(p.e); err != nil {
				return nil, err
			}
		}
	}
	if r.plus, err = c.dates(n.Plus); err != nil {
		return nil, err
	}
	if n.Choose != nil {
		if r.choose, err = c.choose(n.Choose); err != nil {
			return nil, err
		}
	}
	if r.chain, err = c.chain(n.Then); err != nil {
		return nil, err
	}
	r.constant = len(used) == 0
	return r, nil
}

// ofCell is the rule that a cell holds.
func (r *RowRule) ofCell(text string) (*RowRule, error) {
	return r.cells.of(text, func(text string) (*RowRule, error) {
		rule, err := CompileRowRule(text, r.c.Env.withoutSlots())
		if err == nil && rule.in >= 0 {
			err = rule.c.fail(rule.node.Span, "`rule in` can't be used inside a cell", "")
		}
		return rule, err
	})
}

// OfCells reports whether each row's rule is in a cell.
func (r *RowRule) OfCells() bool { return r.in >= 0 }

// In is the cell that holds the rule of a row; "" if none does.
func (r *RowRule) In(row []Value) string {
	if r.in < 0 {
		return ""
	}
	return row[r.in].Text
}

// leftOut compiles what a rule leaves out.
func (r *RowRule) leftOut(list []phrase.Expr) error {
	for _, e := range list {
		switch e := e.(type) {
		case *phrase.ClosedDays:
			r.closed = true
		case *phrase.Stretch:
			s, err := r.c.stretch(e)
			if err != nil {
				return err
			}
			r.stretches = append(r.stretches, s)
		default:
			if name, ok := e.(*phrase.Name); ok && !r.c.knows(name.Text) {
				left, err := r.c.leftSeries(name)
				if err != nil {
					return err
				}
				r.left = append(r.left, left...)
				continue
			}
			f, err := r.c.dateOf(e)
			if err != nil {
				return err
			}
			r.without = append(r.without, f)
		}
	}
	return nil
}

// leftSeries are the series on whose dates a rule gives none.
func (c *compiler) leftSeries(name *phrase.Name) ([]Series, error) {
	if c.SeriesAll != nil {
		if list, err := c.SeriesAll(name.Text); err != nil || len(list) > 0 {
			return list, err
		}
	}
	if len(c.SeriesNames) == 0 && len(c.Names) > 0 { // a column was meant
		_, err := c.slot(name)
		return nil, err
	}
	return nil, c.fail(name.Span, fmt.Sprintf("unknown series `%s`", name.Text), known(name.Text, "series", c.SeriesNames))
}

// stretch works out A..B, whose ends may be periods.
func (c *compiler) stretch(e *phrase.Stretch) (civil.Span, error) {
	a, ok := c.Frame.ParseSpan(e.A)
	b, ok2 := c.Frame.ParseSpan(e.B)
	switch {
	case !ok || !ok2:
		return a, c.fail(e.Span, "no such period: "+e.A+".."+e.B, "a fiscal year of whole weeks has no 53rd week every year")
	case b.Last < a.First:
		return a, c.fail(e.Span, "this range ends before it starts: "+a.First.String()+" to "+b.Last.String(), "")
	}
	return civil.Span{First: a.First, Last: b.Last}, nil
}

func (c *compiler) dates(list []phrase.Expr) (fs []dates, err error) {
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
	WholeRow RowState = iota
	BlankRow          // a blank makes the row blank: it has no recurrence
	OpenRow           // a blank end runs through a day
	LaterRow          // so it would, but the row starts after that day
	PartRow           // its rule looks at cells that it must be asked with again
)

// For gives the recurrence of a row. A blank end runs through a day; any other
// blank makes the row blank, and its recurrence nil. all says that row has all cells, and not
// only that of a rule that is in one.
func (r *RowRule) For(row []Value, through civil.Date, all bool) (rec *Recurrence, state RowState, err error) {
	if r.by != nil {
		own, err := r.by(row)
		if err != nil || own == nil {
			return nil, BlankRow, err
		}
		return (*own).For(row, through, all)
	}
	if r.in >= 0 {
		text := row[r.in].String()
		if strings.TrimSpace(text) == "" {
			return nil, BlankRow, nil
		}
		own, err := r.ofCell(text)
		if err != nil {
			return nil, WholeRow, err
		}
		if !own.constant && !all {
			return nil, PartRow, nil
		}
		return own.For(row, through, true)
	}
	if r.constant {
		r.once.Do(func() {
			if r.all, _, r.allErr = r.of(nil, civil.None); r.all != nil {
				r.all.Shared = true
			}
		})
		return r.all, WholeRow, r.allErr
	}
	return r.of(row, through)
}

// of works the recurrence of a row out.
func (r *RowRule) of(row []Value, through civil.Date) (rec *Recurrence, state RowState, err error) {
	blank := false
	n, c := r.node, r.c
	rule := &recur.Rule{Unit: n.Unit, Working: n.Working, Every: n.Every, Times: n.Times, SkipShort: n.Short,
		Frame: c.Frame, Calendar: r.cal, Labels: r.labels, Without: r.stretches, WithoutClosed: r.closed}
	if len(r.left) > 0 {
		rule.WithoutOn = r.has
	}
	for _, d := range n.On {
		rule.Items = append(rule.Items, d.Item)
	}
	for _, m := range n.Months {
		rule.Months |= 1 << m
	}
	one := func(f dates) (civil.Date, error) {
		if f == nil {
			return civil.None, nil
		}
		d, _, err := f(row)
		if err == nil && d == civil.None {
			blank = true
		}
		return d, err
	}
	if rule.From, err = one(r.from); err != nil {
		return nil, WholeRow, err
	}
	if rule.Back, err = one(r.back); err != nil || blank {
		return nil, BlankRow, err
	}
	if rule.Until, err = one(r.until); err != nil {
		return nil, WholeRow, err
	}
	if blank { // an open end; a row that has yet to begin has no dates
		if state = OpenRow; through < rule.From {
			return nil, LaterRow, nil
		}
		rule.Until, blank = through, false
	}
	var without []civil.Date
	for _, p := range []struct {
		to   *[]civil.Date
		list []dates
	}{{&without, r.without}, {&rule.Plus, r.plus}} {
		for _, f := range p.list {
			d, err := one(f)
			if err != nil {
				return nil, state, err
			}
			*p.to = append(*p.to, d)
		}
	}
	for _, d := range without {
		rule.Without = append(slices.Clip(rule.Without), civil.Span{First: d, Last: d})
	}
	none, err := r.numbers(row, rule)
	if err != nil {
		return nil, state, err
	}
	switch {
	case blank || none:
		return nil, BlankRow, nil
	case rule.Until != civil.None && rule.Until < rule.From:
		return nil, state, c.fail(r.untilE.Pos(),
			"the rule ends before it starts: "+rule.From.String()+" to "+rule.Until.String(), "")
	case rule.Back != civil.None && rule.Back < rule.From:
		return nil, state, c.fail(r.backE.Pos(), "the rule's last date is before `from`", "")
	case n.Listed:
		rule = recur.Dates(rule.Plus)
	case n.RRule != nil:
		rr, err := n.RRule.Rule(rule.From)
		if err != nil {
			return nil, state, c.fail(n.Span, err.Error(), "")
		}
		rr.Without, rr.WithoutClosed, rr.WithoutOn = rule.Without, rule.WithoutClosed, rule.WithoutOn
		rr.Plus, rr.Calendar = rule.Plus, r.cal
		rule = rr
	}
	if !n.Listed {
		rule.Prepare()
	}
	chain := r.chain
	if r.choose != nil {
		chain = r.choose.choosing(chain, rule)
	}
	return &Recurrence{Text: r.text, Rule: rule, Chain: chain, Row: row, left: r.left}, state, nil
}

// numbers fills in the numbers that a row gives; one that is blank makes it a blank
// row.
func (r *RowRule) numbers(row []Value, rule *recur.Rule) (blank bool, err error) {
	for _, p := range []struct {
		to  *int
		by  wholes
		e   phrase.Expr
		per int
	}{{&rule.Every, r.every, r.node.EveryBy, r.node.Every}, {&rule.Times, r.times, r.node.TimesBy, 1}} {
		if p.by == nil {
			continue
		}
		k, none, err := p.by(row)
		switch blank = blank || none; {
		case err != nil:
			return blank, err
		case !none && k < 1:
			return blank, r.c.fail(p.e.Pos(), "expected 1 or more, found "+Int(k).String(), "")
		}
		*p.to = k * p.per
	}
	return blank, nil
}
