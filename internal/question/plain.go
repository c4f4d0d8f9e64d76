package question

import (
	"errors"
	"fmt"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// Plain is the table itself, with the columns that a record adds.
func Plain() *Question {
	return &Question{Name: "table", Record: true, Answer: func(j *Job) error {
		t, err := j.table()
		if err != nil {
			return err
		}
		return j.pass(t)
	}}
}

// KeyFault is a key that is blank or stands twice.
type KeyFault struct{ text string }

// Error says in which row.
func (e *KeyFault) Error() string { return e.text }

// CheckKey checks that a column names each row of the job's table: it is there,
// never blank and never twice.
func (j *Job) CheckKey(column string) error {
	j.Question = &Question{Name: "key", Answer: func(j *Job) error {
		t, err := j.table()
		if err != nil {
			return err
		}
		key, err := t.Column("key", column)
		if err != nil {
			return err
		}
		t.Cells = append(t.Cells, key)
		if err := j.settle(nil); err != nil {
			return err
		}
		seen := map[string]int{}
		_, err = t.Scan(func(line int, row []eval.Value) error {
			id := eval.KeyOf(row[key])
			switch before := seen[id]; {
			case id == "":
				return rows.In("key", &KeyFault{fmt.Sprintf("%s, line %d: the key `%s` is blank, and a key names each row",
					t.Name, line, column)})
			case before > 0:
				return rows.In("key", &KeyFault{fmt.Sprintf(
					"%s, line %d: the key `%s` is %q, as in line %d, and a key names one row", t.Name, line, column,
					eval.Brief(id), before)})
			}
			seen[id] = line
			return nil
		})
		return err
	}}
	return j.Answer()
}

// RowsExpected is what must hold of a table's rows: columns of which no value stands
// twice, and conditions; Sum are those of which the totals are wanted; Key names the rows in
// what is told.
type RowsExpected struct {
	Unique, Each, Sum []string
	Key               string
}

// RowsFound is what was found: how many rows there are, what breaks each
// expectation, and for how many rows one is blank; by "unique" and "each.N".
type RowsFound struct {
	Rows   int
	Broken map[string][]string
	Blank  map[string]int
	// Sums are the totals of columns, exact; a blank counts as nothing and as Blank, by
	// "sum.N".
	Sums []eval.Value
}

// Expect holds the rows of the job's table against what is expected of them.
func (j *Job) Expect(want RowsExpected) (found RowsFound, err error) {
	found = RowsFound{Broken: map[string][]string{}, Blank: map[string]int{}}
	j.Question = &Question{Name: "expect", Answer: func(j *Job) error {
		t, err := j.table()
		if err != nil {
			return err
		}
		env := t.Env
		env.Names = t.Visible()
		var each []*eval.Expect
		for i, text := range want.Each {
			x, err := eval.CompileExpect(text, env)
			if err != nil {
				return rows.In(fmt.Sprintf("each.%d", i), err)
			}
			each = append(each, x)
		}
		unique := map[int]map[string]int{}
		for _, name := range want.Unique {
			at, err := t.Column("unique", name)
			if err != nil {
				return err
			}
			t.Cells, unique[at] = append(t.Cells, at), map[string]int{}
		}
		var amounts []int
		for i, name := range want.Sum {
			at, err := t.Column("sum", name)
			if err == nil {
				at, err = t.Hide("sum", rows.Quote(t.Visible()[at])+" + 0")
			}
			var of *rows.OptionError
			if errors.As(err, &of) {
				err = of.Err
			}
			if err != nil {
				return rows.In(fmt.Sprintf("sum.%d", i), err)
			}
			amounts = append(amounts, at)
		}
		found.Sums = make([]eval.Value, len(amounts))
		key := -1
		if want.Key != "" {
			key = rows.Find(t.Visible(), want.Key)
		}
		if err := j.settle(t.Visible()); err != nil {
			return err
		}
		err = j.scan(t, func(line int, row []eval.Value) error {
			found.Rows++
			who := fmt.Sprintf("line %d", line)
			if key >= 0 {
				who = row[key].String() + " (" + who + ")"
			}
			for at, seen := range unique {
				switch id := eval.KeyOf(row[at]); {
				case id == "":
				case seen[id] > 0:
					found.Broken["unique"] = append(found.Broken["unique"], fmt.Sprintf("unique: %s: `%s` is %q, as in line %d",
						who, t.Visible()[at], eval.Brief(id), seen[id]))
				default:
					seen[id] = line
				}
			}
			for i, at := range amounts {
				if row[at].Kind == eval.Blank {
					found.Blank[fmt.Sprintf("sum.%d", i)]++
				}
				found.Sums[i] = eval.Add(found.Sums[i], row[at])
			}
			for i, x := range each {
				ok, blank, err := x.Holds(row)
				at := fmt.Sprintf("each.%d", i)
				switch {
				case err != nil:
					return &rows.BadCell{Line: line, Column: "each", Err: err}
				case blank:
					found.Blank[at]++
				case !ok:
					found.Broken[at] = append(found.Broken[at], fmt.Sprintf("each: %s: %s: %s", x.Text, who, x.Why(row)))
				}
			}
			return nil
		})
		for i, sum := range found.Sums {
			if sum.Kind == eval.Blank {
				found.Sums[i] = eval.Int(0)
			}
		}
		return err
	}}
	err = j.Answer()
	return found, err
}
