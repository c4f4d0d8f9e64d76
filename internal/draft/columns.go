package draft

import (
	"errors"
	"io"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/tabular"
)

// column is a column of a table that is looked at.
type column struct {
	name  string
	texts []string // of the cells that aren't blank
	real  int      // cells that are dates as they are
	all   int      // cells
}

// mostTitle is how many lines of a title may be above a table.
const mostTitle = 10

// columnsOf reads the first rows of a table by columns, and says how it has to be read:
// by a header further down, or with its headings repaired.
func columnsOf(path string) (list []column, in tabular.Options, err error) {
	r, closer, err := tabular.Open(path, nil, in)
	var bad *tabular.CellError
	for row := 2; errors.As(err, &bad) && row <= mostTitle; row++ {
		again, c, err2 := tabular.Open(path, nil, tabular.Options{HeaderRow: row})
		if err2 == nil && len(again.Columns()) > 1 && !slices.ContainsFunc(again.Columns(), isData) {
			r, closer, err, in.HeaderRow = again, c, nil, row
		} else if err2 == nil {
			c.Close()
		}
	}
	if errors.As(err, &bad) {
		in.Repairs = &tabular.Repairs{}
		r, closer, err = tabular.Open(path, nil, in)
	}
	if err != nil {
		return nil, in, err
	}
	defer func(c io.Closer) { _ = c.Close() }(closer)
	for _, name := range r.Columns() {
		list = append(list, column{name: name})
	}
	for n := 0; n < mostLooked; {
		batch, err := r.Next()
		if err != nil || batch == nil {
			return list, in, err
		}
		err = batch.Each(func(_ int, cells []eval.Value) error {
			if n++; n > mostLooked {
				return nil
			}
			for i := range list {
				c := &list[i]
				c.all++
				if v := cells[i]; v.Kind == eval.Date || v.Kind == eval.DateTime {
					c.real++
				} else if s := strings.TrimSpace(v.String()); s != "" {
					c.texts = append(c.texts, strings.Clone(s))
				}
			}
			return nil
		})
		if err != nil {
			return nil, in, err
		}
	}
	return list, in, nil
}

// isData reports whether a text is a date or a number, and so no name of a column.
func isData(text string) bool {
	return len(tabular.FittingNumberForms([]string{text})) > 0 || len(tabular.FittingLayouts([]string{text})) > 0
}

// dates reports whether the column holds dates, in which forms where they aren't ISO,
// and the words among them that mean an open end.
func (c column) dates() (forms, open []string, ok bool) {
	var days []string
	iso := 0
	for _, s := range c.texts {
		switch {
		case strings.ContainsAny(s, "0123456789"):
			days = append(days, s)
			if _, is := eval.AsDate(eval.Str(s)); is {
				iso++
			}
		case len(s) > 20:
			return nil, nil, false
		case !slices.Contains(open, s):
			open = append(open, s)
		}
	}
	if len(days) == 0 || len(open) > 3 {
		return nil, nil, c.real > 0 && len(c.texts) == 0
	}
	if iso == len(days) {
		return nil, open, true
	}
	fit := slices.DeleteFunc(tabular.FittingLayouts(days), func(f string) bool { return f == "serial" })
	return fit, open, len(fit) > 0
}

// plain reports whether the cells are plain numbers.
func (c column) plain() bool {
	return !slices.ContainsFunc(c.texts, func(s string) bool { _, ok := eval.ParseNumber(s); return !ok })
}

// unique reports whether the column can name the rows: filled, and no value twice.
func (c column) unique() bool {
	if c.all == 0 || len(c.texts) != c.all {
		return false
	}
	seen := map[string]bool{}
	for _, s := range c.texts {
		if seen[s] {
			return false
		}
		seen[s] = true
	}
	_, _, date := c.dates()
	return !date
}
