package question

import (
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
				return rows.In("key", fmt.Errorf("%s, line %d: the key `%s` is blank, and a key names each row", t.Name, line, column))
			case before > 0:
				return rows.In("key", fmt.Errorf("%s, line %d: the key `%s` is %q, as in line %d, and a key names one row", t.Name, line, column, eval.Brief(id), before))
			}
			seen[id] = line
			return nil
		})
		return err
	}}
	return j.Answer()
}
