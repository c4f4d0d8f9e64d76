package rows

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// Where keeps the rows of which a condition holds, and all conditions set before
// it; it sees added columns.
func (d *Derive) Where(text string, env eval.Env) error {
	env.Names = d.columns[:d.visible()]
	var used []int
	env.Uses.All = &used
	holds, err := eval.Condition(text, env)
	if err != nil {
		return err
	}
	d.used = append(d.used, used...)
	own := !slices.ContainsFunc(used, func(s int) bool { return s >= d.inputs+len(d.joins) })
	d.conditions = append(d.conditions, rowCondition{holds, own})
	return nil
}

// pickColumns chooses columns: A, B picks these, -C leaves C out.
func (d *Derive) pickColumns(list []string) error {
	var take, leave []int
	for _, name := range list {
		i, minus, err := parseSignedColumn(name, d.Visible())
		if err != nil {
			return err
		}
		if minus {
			leave = append(leave, i)
		} else {
			take = append(take, i)
		}
	}
	if take == nil {
		for i := range d.columns {
			take = append(take, i)
		}
	}
	d.picked = slices.DeleteFunc(take, func(i int) bool { return slices.Contains(leave, i) })
	if len(d.picked) == 0 {
		return errors.New("this leaves no columns")
	}
	return nil
}

// parseSignedColumn finds a column by its name, or with a - in front.
func parseSignedColumn(name string, columns []string) (i int, minus bool, err error) {
	name = strings.TrimSpace(name)
	if i = ColumnIndex(columns, UnquoteName(name)); i >= 0 {
		return i, false, nil
	}
	bare, minus := strings.CutPrefix(name, "-")
	if i = ColumnIndex(columns, UnquoteName(bare)); i < 0 {
		return i, minus, UnknownColumn(UnquoteName(bare), columns)
	}
	return i, minus, nil
}

// SortColumn finds the column that a name of --sort means.
func SortColumn(name string, columns []string) (int, error) {
	i, _, err := parseSignedColumn(name, columns)
	return i, err
}

// UnquoteName takes the double quotes off a column's name, which it may stand in.
func UnquoteName(name string) string {
	name = strings.TrimSpace(name)
	if n := len(name); n > 2 && name[0] == '"' && name[n-1] == '"' {
		return strings.ReplaceAll(name[1:n-1], `""`, `"`)
	}
	return name
}

// QuoteName writes a column's name as a phrase has it in any case.
func QuoteName(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// SplitNamed splits NAME = PHRASE; a phrase alone names itself, a column by its name
// alone, and a condition is in parentheses.
func SplitNamed(text string) (name, body string) {
	if name, body, err := SplitAdd(text); err == nil && !strings.ContainsAny(name, ",'()") {
		return name, body
	}
	return UnquoteName(text), text
}

// parseSort is what --sort says: columns, the largest first where a - stands in
// front. It is nil if nothing is to be sorted.
func parseSort(list, columns []string) (slots []int, ways []int, err error) {
	for _, name := range list {
		i, minus, err := parseSignedColumn(name, columns)
		if err != nil {
			return nil, nil, err
		}
		way := 1
		if minus {
			way = -1
		}
		slots, ways = append(slots, i), append(ways, way)
	}
	return slots, ways, nil
}

// UnknownColumn is the error for a name that is no column.
func UnknownColumn(name string, columns []string) error {
	hint := "; the columns are " + phrase.ListNames(columns)
	if near := phrase.Nearest(name, columns); near != "" {
		hint = "; did you mean `" + near + "`?"
	}
	return fmt.Errorf("unknown column `%s`%s", name, hint)
}

// outputCells picks the columns that are written of a row.
func (d *Derive) outputCells(row, room []eval.Value) []eval.Value {
	if d.picked == nil {
		return row
	}
	room = room[:0]
	for _, i := range d.picked {
		room = append(room, row[i])
	}
	return room
}

// SplitAdd splits NAME = PHRASE. The name may be in double quotes.
func SplitAdd(text string) (name, body string, err error) {
	rest := strings.TrimSpace(text)
	if strings.HasPrefix(rest, `"`) {
		if end := strings.IndexByte(rest[1:], '"'); end >= 0 {
			name, rest = rest[1:end+1], strings.TrimSpace(rest[end+2:])
		}
	} else if i := strings.IndexAny(rest, "=<>!"); i >= 0 {
		name, rest = strings.TrimSpace(rest[:i]), rest[i:]
	}
	body, ok := strings.CutPrefix(rest, "=")
	if !ok || name == "" || strings.TrimSpace(body) == "" {
		return "", "", &phrase.Error{Phrase: text, Span: phrase.Span{End: len(text)}, Message: "expected NAME = PHRASE",
			Hint: `for example: ends = start, lasting term months`}
	}
	return name, strings.TrimSpace(body), nil
}
