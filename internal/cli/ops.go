package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/tabular"
)

// hidden compiles a phrase of an option against the table's columns; day does so
// where the phrase must give a date.
func (t *tableOptions) hidden(d *rows.Derive, option, text string) (int, error) {
	return t.hide(d, option, text, false)
}

func (t *tableOptions) day(d *rows.Derive, option, text string) (int, error) {
	return t.hide(d, option, text, true)
}

func (t *tableOptions) hide(d *rows.Derive, option, text string, date bool) (int, error) {
	slot, used, err := d.Hidden(option, text, date, t.loaded.Env)
	if err != nil {
		return 0, inOption(option, err)
	}
	t.used = append(t.used, used...)
	return slot, nil
}

// over makes a command that opens its first argument as the table.
func (t *tableOptions) over(run func(d *rows.Derive, names []string) error) func(*cobra.Command, []string) error {
	return func(_ *cobra.Command, names []string) error {
		if _, err := t.load(); err != nil {
			return err
		}
		d, err := t.open(names[0])
		if err != nil {
			return err
		}
		return run(d, names)
	}
}

// put takes a row of the result.
type put func(cells []eval.Value) error

// result writes the rows that fill puts, with --where, --sort and --columns on
// the columns of the result.
func (t *tableOptions) result(columns []string, fill func(put) (rows.Bad, error)) error {
	out := rows.NewDerive(columns)
	if err := t.finish(out); err != nil {
		return err
	}
	order, err := t.order(out)
	if err != nil {
		return err
	}
	format, err := t.format(rowFormats...)
	if err != nil {
		return err
	}
	return t.spooled(func(w io.Writer) error {
		sink, err := t.sink(w, format)
		if err != nil {
			return err
		}
		if err := sink.Header(out.Columns()); err != nil {
			return err
		}
		write := t.writer(out, sink)
		var held [][]eval.Value
		bad, err := fill(func(cells []eval.Value) error {
			row, keep, cell := out.Row(0, cells, nil)
			if cell != nil {
				return cell.Err
			}
			if !keep {
				return nil
			}
			if order != nil {
				held = append(held, slices.Clone(row))
				return nil
			}
			return write(row)
		})
		if err != nil {
			return err
		}
		if err := t.faults(bad); err != nil {
			return err
		}
		slices.SortStableFunc(held, order)
		for _, row := range held {
			if err := write(row); err != nil {
				return err
			}
		}
		return sink.Close()
	})
}

// writer puts rows into a sink: the columns that are picked, rows that stand out
// marked, text safe for spreadsheets where that is asked.
func (t *tableOptions) writer(d *rows.Derive, sink rows.Sink) put {
	var room []eval.Value
	marker, marks := sink.(rows.Marker)
	return func(row []eval.Value) error {
		if marks && t.standsOut != nil {
			marker.Mark(t.standsOut(row))
		}
		if room = d.Out(row, room); t.safe {
			room = slices.Clone(room)
			for i, v := range room {
				if v.Kind == eval.Text && tabular.IsFormula(v.Text) {
					room[i].Text = "'" + v.Text
				}
			}
		}
		return sink.Row(room)
	}
}

// faults turns bad cells into an error, or into a warning where --bad-rows says
// to go on.
func (t *tableOptions) faults(bad rows.Bad) error {
	if bad.Count == 0 {
		return nil
	}
	if t.badRows == "stop" {
		return &badError{t.name, bad}
	}
	t.app.warn("%s", (&badError{t.name, bad}).Error())
	return nil
}

// scan goes through the table; each gets the row with its hidden cells.
func (t *tableOptions) scan(d *rows.Derive, each func(line int, row []eval.Value) error) (rows.Bad, error) {
	defer t.closer.Close()
	name, isAside := strings.CutPrefix(t.badRows, "aside=")
	if !isAside {
		return rows.Scan(t.reader, d, each, nil)
	}
	var bad rows.Bad
	err := writeFile(name, t.loaded.Inputs, func(w io.Writer) error {
		if _, err := w.Write(tabular.AppendHeader(nil, append(slices.Clone(t.reader.Columns()), "reason"), ',')); err != nil {
			return err
		}
		var err error
		bad, err = rows.Scan(t.reader, d, each, func(cells []eval.Value, c *rows.BadCell) error {
			_, err := w.Write(tabular.AppendCSV(nil, append(slices.Clone(cells), eval.Str(c.Reason())), ',', t.safe))
			return err
		})
		return err
	})
	return bad, err
}

// fresh refuses added columns that the table has already.
func fresh(columns, added []string) ([]string, error) {
	for _, a := range added {
		if i := rows.Find(columns, a); i >= 0 {
			return nil, fmt.Errorf("the table already has a column `%s`; --columns of an earlier step can leave it out", columns[i])
		}
	}
	return append(slices.Clone(columns), added...), nil
}

// through is the day that open ranges run through.
func (t *tableOptions) through(text string) (civil.Date, error) {
	if text == "" {
		return t.loaded.Env.Today, nil
	}
	d, err := dateOf(text, t.loaded.Env)
	if err != nil {
		err = fmt.Errorf("--open-through: %w", err)
	}
	return d, err
}
