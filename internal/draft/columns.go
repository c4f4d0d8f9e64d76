package draft

import (
	"errors"
	"io"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/tabular"
)

// tableColumn is a column of a table that is looked at.
type tableColumn struct {
	name     string
	texts    []string // of the cells that aren't blank
	numDates int      // cells that are dates as they are
	numCells int      // cells
}

// maxTitleLines is how many lines of a title may be above a table.
const maxTitleLines = 10

// sampleColumns reads the first rows of a table by columns, and says how it has to be read:
// by a header further down, or with its headings repaired.
func sampleColumns(path string) (list []tableColumn, in tabular.Options, err error) {
	r, closer, err := tabular.Open(path, nil, in)
	var bad *tabular.CellError
	for row := 2; errors.As(err, &bad) && row <= maxTitleLines; row++ {
		again, c, err2 := tabular.Open(path, nil, tabular.Options{HeaderRow: row})
		if err2 == nil && len(again.Columns()) > 1 && !slices.ContainsFunc(again.Columns(), isValueText) {
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
		list = append(list, tableColumn{name: name})
	}
	for n := 0; n < maxSampledRows; {
		batch, err := r.Next()
		if err != nil || batch == nil {
			return list, in, err
		}
		err = batch.Each(func(_ int, cells []eval.Value) error {
			if n++; n > maxSampledRows {
				return nil
			}
			for i := range list {
				c := &list[i]
				c.numCells++
				if v := cells[i]; v.Kind == eval.Date || v.Kind == eval.DateTime {
					c.numDates++
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

// isValueText reports whether a text is a date or a number, and so no name of a column.
func isValueText(text string) bool {
	return len(tabular.FittingNumberForms([]string{text})) > 0 || len(tabular.FittingLayouts([]string{text}, tabular.DateContext{})) > 0
}

// dates reports whether the column holds dates, in which forms where they aren't ISO,
// and the words among them that mean an open end.
func (c tableColumn) dates() (forms, open []string, ok bool) {
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
		return nil, nil, c.numDates > 0 && len(c.texts) == 0
	}
	if iso == len(days) {
		return nil, open, true
	}
	fit := slices.DeleteFunc(tabular.FittingLayouts(days, tabular.DateContext{}), func(f string) bool { return f == "serial" })
	return fit, open, len(fit) > 0
}

// isPlainNumbers reports whether the cells are plain numbers.
func (c tableColumn) isPlainNumbers() bool {
	return !slices.ContainsFunc(c.texts, func(s string) bool { _, ok := eval.ParseNumber(s); return !ok })
}

// canNameRows reports whether the column can name the rows: filled, and no value twice.
func (c tableColumn) canNameRows() bool {
	if c.numCells == 0 || len(c.texts) != c.numCells {
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
