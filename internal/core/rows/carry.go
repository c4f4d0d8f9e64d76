package rows

import (
	"errors"
	"fmt"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// carried is a column that runs down: first in the first row of each group, next in those
// behind it, where prior is the value above.
type carried struct {
	first, next *eval.Program
	per         int // slot of the column that names the group; -1 where all rows are one
	above       map[string]eval.Value
	prior       eval.Value // of the row that is being worked out
	begins      bool       // it is the first of its group
	key         string     // its group and its value
	now         eval.Value
	turned      bool // now is the first blank of its group
	blanked     int
}

// SplitCarry splits NAME = FIRST; NEXT at the first ; outside quotes.
func SplitCarry(text string) (name, first, next string, err error) {
	name, body, err := SplitAdd(text)
	if err != nil {
		return "", "", "", carryForm(text)
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
				return "", "", "", carryForm(text)
			}
			return name, first, next, nil
		}
	}
	return "", "", "", carryForm(text)
}

func carryForm(text string) error {
	return &phrase.Error{Phrase: text, Span: phrase.Span{End: len(text)}, Message: "expected NAME = FIRST; NEXT",
		Hint: "for example: balance = amount; prior + amount"}
}

// Carry adds columns that run down the rows in their order, behind those that were added
// so far; later ones may use earlier ones. per names the column of their groups, "" if
// all rows are one. Rows must then be worked out one after the other.
func (d *Derive) Carry(texts []string, per string, env eval.Env) error {
	by := -1
	if per != "" {
		if by = Find(d.Visible(), Unquote(per)); by < 0 {
			return In("per", UnknownColumn(Unquote(per), d.Visible()))
		}
		d.used = append(d.used, by)
	}
	for _, text := range texts {
		name, first, next, err := SplitCarry(text)
		if err != nil {
			return In("carry", err)
		}
		if i := Find(d.columns, name); i >= 0 {
			return In("carry", fmt.Errorf("there is already a column `%s`; give the new one another name", d.columns[i]))
		}
		c := &carried{per: by, above: map[string]eval.Value{}}
		var used []int
		env.Names, env.Kinds, env.Uses.All = d.columns, nil, &used
		if c.first, err = eval.Compile(first, nil, env); err != nil {
			var pe *phrase.Error
			if errors.As(err, &pe) && strings.EqualFold(pe.Unknown, "prior") {
				pe.Hint = "the first row has no value above it; use `prior` after the semicolon"
			}
			return In("carry", err)
		}
		env.Prior = len(d.columns) + 1
		if c.next, err = eval.Compile(next, nil, env); err != nil {
			return In("carry", err)
		}
		d.used = append(d.used, used...)
		d.columns = append(d.columns, name)
		d.added = append(d.added, Added{Name: name, Used: used, carried: c})
		d.ordered = true
	}
	return nil
}

// RunsDown tells, of a column that runs down, by which phrase it was worked out for the row
// that came last, and the value above it, which is blank in the first row.
func (a *Added) RunsDown() (text string, prior eval.Value, ok bool) {
	switch c := a.carried; {
	case c == nil:
		return "", prior, false
	case c.begins:
		return c.first.Text, prior, true
	default:
		return c.next.Text, c.prior, true
	}
}

// value works the column out for a row that ends where its value goes.
func (c *carried) value(row []eval.Value) (err error) {
	c.key, c.now, c.turned = "", eval.Value{}, false
	if c.per >= 0 {
		c.key = eval.KeyOf(row[c.per])
	}
	prior, seen := c.above[c.key]
	c.prior, c.begins = prior, !seen
	switch {
	case !seen:
		c.now, err = c.first.Eval(row)
	case prior.Kind == eval.Blank:
		return nil
	default:
		c.now, err = c.next.Eval(append(row, prior))
	}
	if err != nil {
		c.now = eval.Value{}
	}
	c.turned = c.now.Kind == eval.Blank
	return err
}

// settle makes the values of a row that stays those above the next.
func (d *Derive) settle() {
	for _, a := range d.added {
		if c := a.carried; c != nil {
			if c.turned {
				c.blanked++
			}
			c.now.Text = strings.Clone(c.now.Text)
			c.above[strings.Clone(c.key)] = c.now
		}
	}
}

// Restart begins a new group of rows.
func (d *Derive) Restart() {
	for _, a := range d.added {
		if a.carried != nil {
			clear(a.carried.above)
		}
	}
}

// Blanked counts, of each carried column, the groups in which it became blank.
func (d *Derive) Blanked() (columns []string, groups []int) {
	for _, a := range d.added {
		if a.carried != nil && a.carried.blanked > 0 {
			columns, groups = append(columns, a.Name), append(groups, a.carried.blanked)
		}
	}
	return columns, groups
}
