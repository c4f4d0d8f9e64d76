package rows

import (
	"errors"
	"fmt"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// runningColumn is a column whose value depends on the row above (a running balance): first for
// the first row of a group, next for the others, in which the name `prior` is the value above.
type runningColumn struct {
	first, next *eval.Program
	groupSlot   int // slot of the column that names the group; -1 where all rows are one
	previous    map[string]eval.Value
	prior       eval.Value // of the row that is being worked out
	startsGroup bool       // it is the first of its group
	key         string     // its group and its value
	current     eval.Value
	becameBlank bool // now is the first blank of its group
	blankGroups int
}

// SplitCarry splits NAME = FIRST; NEXT at the first ; outside quotes.
func SplitCarry(text string) (name, first, next string, err error) {
	name, body, err := SplitAdd(text)
	if err != nil {
		return "", "", "", runningFormError(text)
	}
	quote := rune(0)
	for i, r := range body {
		switch {
		case quote != 0:
			if r == quote {
				quote = 0
			}
		case r == '\'' || r == '"':
			quote = r
		case r == ';':
			first, next = strings.TrimSpace(body[:i]), strings.TrimSpace(body[i+1:])
			if first == "" || next == "" {
				return "", "", "", runningFormError(text)
			}
			return name, first, next, nil
		}
	}
	return "", "", "", runningFormError(text)
}

func runningFormError(text string) error {
	return &phrase.Error{Phrase: text, Span: phrase.Span{End: len(text)}, Message: "expected NAME = FIRST; NEXT",
		Hint: "for example: balance = amount; prior + amount"}
}

// AddRunning adds columns that run down the rows in their order, behind those that were added
// so far; later ones may use earlier ones. per names the column of their groups, "" if
// all rows are one. Rows must then be worked out one after the other.
func (d *Derive) AddRunning(texts []string, per string, env eval.Env) error {
	by := -1
	if per != "" {
		if by = ColumnIndex(d.Visible(), UnquoteName(per)); by < 0 {
			return WrapOption("per", UnknownColumn(UnquoteName(per), d.Visible()))
		}
		d.used = append(d.used, by)
	}
	for _, text := range texts {
		name, first, next, err := SplitCarry(text)
		if err != nil {
			return WrapOption("carry", err)
		}
		if i := ColumnIndex(d.columns, name); i >= 0 {
			return WrapOption("carry", fmt.Errorf("there is already a column `%s`; give the new one another name", d.columns[i]))
		}
		c := &runningColumn{groupSlot: by, previous: map[string]eval.Value{}}
		var used []int
		env.Names, env.Kinds, env.Uses.All = d.columns, nil, &used
		if c.first, err = eval.Compile(first, nil, env); err != nil {
			var pe *phrase.Error
			if errors.As(err, &pe) && strings.EqualFold(pe.UnknownName, "prior") {
				pe.Hint = "the first row has no value above it; use `prior` after the semicolon"
			}
			return WrapOption("carry", err)
		}
		env.PriorSlot = len(d.columns) + 1
		if c.next, err = eval.Compile(next, nil, env); err != nil {
			return WrapOption("carry", err)
		}
		d.used = append(d.used, used...)
		d.columns = append(d.columns, name)
		d.added = append(d.added, AddedColumn{Name: name, UsedSlots: used, running: c})
		d.hasRunning = true
	}
	return nil
}

// RunningPhrase tells, of a column that runs down, by which phrase it was worked out for the row
// that came last, and the value above it, which is blank in the first row.
func (a *AddedColumn) RunningPhrase() (text string, prior eval.Value, ok bool) {
	switch c := a.running; {
	case c == nil:
		return "", prior, false
	case c.startsGroup:
		return c.first.Text, prior, true
	default:
		return c.next.Text, c.prior, true
	}
}

// value works the column out for a row that ends where its value goes.
func (c *runningColumn) value(row []eval.Value) (err error) {
	c.key, c.current, c.becameBlank = "", eval.Value{}, false
	if c.groupSlot >= 0 {
		c.key = eval.CellKey(row[c.groupSlot])
	}
	prior, seen := c.previous[c.key]
	c.prior, c.startsGroup = prior, !seen
	switch {
	case !seen:
		c.current, err = c.first.Eval(row)
	case prior.Kind == eval.Blank:
		return nil
	default:
		c.current, err = c.next.Eval(append(row, prior))
	}
	if err != nil {
		c.current = eval.Value{}
	}
	c.becameBlank = c.current.Kind == eval.Blank
	return err
}

// commitRow makes the running values of this row those above the next one; it isn't called for
// a row that is rejected.
func (d *Derive) commitRow() {
	for _, a := range d.added {
		if c := a.running; c != nil {
			if c.becameBlank {
				c.blankGroups++
			}
			c.current.Text = strings.Clone(c.current.Text)
			c.previous[strings.Clone(c.key)] = c.current
		}
	}
}

// ResetGroups begins a new group of rows.
func (d *Derive) ResetGroups() {
	for _, a := range d.added {
		if a.running != nil {
			clear(a.running.previous)
		}
	}
}

// BlankGroups counts, for each running column, the groups in which it became blank.
func (d *Derive) BlankGroups() (columns []string, groups []int) {
	for _, a := range d.added {
		if a.running != nil && a.running.blankGroups > 0 {
			columns, groups = append(columns, a.Name), append(groups, a.running.blankGroups)
		}
	}
	return columns, groups
}
