package query

import (
	"errors"
	"fmt"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// NewTableQuery is the table itself, with the columns that a record adds.
func NewTableQuery() *ask.Query {
	return &ask.Query{Name: "table", ForRecords: true, Answer: func(j *ask.Job) error {
		t, err := j.OpenTable()
		if err != nil {
			return err
		}
		return j.WriteTable(t)
	}}
}

// KeyError is a key that is blank or stands twice.
type KeyError struct{ text string }

// Error says in which row.
func (e *KeyError) Error() string { return e.text }

// CheckKey checks that a column names each row of the job's table: it is there,
// never blank and never twice.
func CheckKey(j *ask.Job, column string) error {
	j.Query = &ask.Query{Name: "key", Answer: func(j *ask.Job) error {
		t, err := j.OpenTable()
		if err != nil {
			return err
		}
		key, err := t.FindColumn("key", column)
		if err != nil {
			return err
		}
		t.Cells = append(t.Cells, key)
		if err := j.PrepareRead(nil); err != nil {
			return err
		}
		t.MuteUnshown(nil)
		seen := map[string]int{}
		_, err = t.Scan(func(line int, row []eval.Value) error {
			id := eval.CellKey(row[key])
			switch before := seen[id]; {
			case id == "":
				return rows.WrapOption("key", &KeyError{fmt.Sprintf("%s:%d: the key `%s` is blank",
					t.Name, line, column)})
			case before > 0:
				return rows.WrapOption("key", &KeyError{fmt.Sprintf(
					"%s:%d: the key `%s` is %q, the same as in line %d", t.Name, line, column,
					eval.Truncate(id), before)})
			}
			seen[id] = line
			return nil
		})
		return err
	}}
	return j.Answer()
}

// RowExpectations is what must hold of a table's rows: columns of which no value stands
// twice, and conditions; Sum are those of which the totals are wanted; Key names the rows in
// what is reported.
type RowExpectations struct {
	Unique, Each, Sum []string
	Key               string
}

// RowFindings is what was found: how many rows there are, what breaks each
// expectation, and for how many rows one is blank; by "unique" and "each.N".
type RowFindings struct {
	Rows   int
	Broken map[string][]string
	Blank  map[string]int
	// Sums are the totals of columns, exact; a blank counts as nothing and as Blank, by
	// "sum.N".
	Sums []eval.Value
}

// Expect holds the rows of the job's table against what is expected of them.
func Expect(j *ask.Job, want RowExpectations) (found RowFindings, err error) {
	e := rowChecker{RowExpectations: want, RowFindings: RowFindings{Broken: map[string][]string{}, Blank: map[string]int{}},
		unique: map[int]map[string]int{}, key: -1}
	j.Query = &ask.Query{Name: "expect", Answer: func(j *ask.Job) error {
		t, err := j.OpenTable()
		if err == nil {
			err = e.prepare(t)
		}
		if err == nil {
			err = j.PrepareRead(t.Visible())
		}
		if err == nil {
			t.MuteUnshown(nil)
			err = j.Scan(t, e.checkRow)
		}
		for i, sum := range e.Sums {
			if sum.Kind == eval.Blank {
				e.Sums[i] = eval.Int(0)
			}
		}
		return err
	}}
	err = j.Answer()
	return e.RowFindings, err
}

// rowChecker holds rows against what is expected of them, one by one.
type rowChecker struct {
	RowExpectations
	RowFindings
	columns []string
	each    []*eval.Expectation
	unique  map[int]map[string]int // the lines of values, by column
	// summed are the columns of which there are totals, amounts the slots of their numbers.
	summed, amounts []int
	key             int
}

func (e *rowChecker) prepare(t *ask.Table) error {
	env := t.Env
	env.Names = t.Visible()
	for i, text := range e.Each {
		x, err := eval.CompileExpectation(text, env)
		if err != nil {
			return rows.WrapOption(fmt.Sprintf("each.%d", i), err)
		}
		e.each = append(e.each, x)
	}
	for _, name := range e.Unique {
		at, err := t.FindColumn("unique", name)
		if err != nil {
			return err
		}
		t.Cells, e.unique[at] = append(t.Cells, at), map[string]int{}
	}
	for i, name := range e.Sum {
		at, err := t.FindColumn("sum", name)
		e.summed = append(e.summed, at)
		if err == nil {
			at, err = t.AddHiddenPhrase("sum", rows.QuoteName(t.Visible()[at])+" + 0")
		}
		var option *rows.OptionError
		if errors.As(err, &option) {
			err = option.Err
		}
		if err != nil {
			return rows.WrapOption(fmt.Sprintf("sum.%d", i), err)
		}
		e.amounts = append(e.amounts, at)
	}
	e.Sums, e.columns = make([]eval.Value, len(e.amounts)), t.Visible()
	if e.Key != "" {
		e.key = rows.ColumnIndex(e.columns, e.Key)
	}
	return nil
}

// checkRow holds a row against all of it.
func (e *rowChecker) checkRow(line int, row []eval.Value) error {
	e.Rows++
	who := fmt.Sprintf("line %d", line)
	if e.key >= 0 {
		who = row[e.key].String() + " (" + who + ")"
	}
	for at, seen := range e.unique {
		switch id := eval.CellKey(row[at]); {
		case id == "":
		case seen[id] > 0:
			e.Broken["unique"] = append(e.Broken["unique"], fmt.Sprintf("unique: %s: `%s` is %q, the same as in line %d", who,
				e.columns[at], eval.Truncate(id), seen[id]))
		default:
			seen[id] = line
		}
	}
	for i, at := range e.amounts {
		if row[at].Kind == eval.Blank {
			e.Blank[fmt.Sprintf("sum.%d", i)]++
		}
		e.Sums[i] = eval.Add(e.Sums[i], eval.Summand(row[at], row[e.summed[i]]))
	}
	for i, x := range e.each {
		ok, blank, err := x.Holds(row)
		at := fmt.Sprintf("each.%d", i)
		switch {
		case err != nil:
			return &rows.BadCell{Line: line, Column: "each", Err: err}
		case blank:
			e.Blank[at]++
		case !ok:
			e.Broken[at] = append(e.Broken[at], fmt.Sprintf("each: %s: %s: %s", x.Text, who, x.Explain(row)))
		}
	}
	return nil
}
