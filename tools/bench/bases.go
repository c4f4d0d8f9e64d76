//go:build !windows

package main

import (
	"bufio"
	"encoding/csv"
	"io"
	"math/rand/v2"
	"os"
	"strings"

	"yoyaku/internal/core/civil"
)

// baselines are the measures, and what prepares for them: what this program is when it is started
// as one.
var baselines = map[string]func(args []string) error{
	"nothing": func([]string) error { return nil },
	"copy":    func(args []string) error { return bareCopy(args[0], args[1]) },
	"dates":   func(args []string) error { return bareDates(args[0]) },
	"shuffle": func(args []string) error { return shuffle(args[0], args[1], args[2]) },
}

// bareCopy copies a table by encoding/csv.
func bareCopy(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.Create(to)
	if err != nil {
		return err
	}
	r, w := csv.NewReader(bufio.NewReaderSize(in, 1<<20)), csv.NewWriter(bufio.NewWriterSize(out, 1<<20))
	r.ReuseRecord = true
	for {
		rec, err := r.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		if err := w.Write(rec); err != nil {
			return err
		}
	}
	w.Flush()
	return out.Close()
}

// shuffle copies a table with its rows in another order.
func shuffle(from, to, seed string) error {
	data, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	head, rows, _ := strings.Cut(string(data), "\n")
	lines := strings.SplitAfter(rows, "\n")
	lines = lines[:len(lines)-1]
	r := rand.New(rand.NewPCG(uint64(len(lines)), uint64(seed[0])))
	r.Shuffle(len(lines), func(i, j int) { lines[i], lines[j] = lines[j], lines[i] })
	return os.WriteFile(to, []byte(head+"\n"+strings.Join(lines, "")), 0o644)
}

// months calls do with the middle and the last day of each month of all years, and where
// they go when weekends are closed.
func months(years int, do func(y, m int, label string, nominal, moved civil.Date)) {
	first := civil.Date(1)
	for i := range years * 12 {
		y, m := i/12+1, i%12+1
		last := first + civil.Date(civil.DaysIn(y, m)) - 1
		for k, d := range [2]civil.Date{first + 14, last} {
			moved := d
			if w := d.Weekday(); w >= civil.Saturday {
				moved -= civil.Date(w - civil.Friday)
			}
			do(y, m, [2]string{"15", "last"}[k], d, moved)
		}
		first = last + 1
	}
}

// bareDates writes the dates of one rule, as one would write a program for just that.
func bareDates(to string) error {
	out, err := os.Create(to)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(out, 1<<20)
	_, _ = w.WriteString("date,weekday,nominal,reason,id\n")
	var b []byte
	months(9999, func(_, _ int, label string, nominal, moved civil.Date) {
		if moved < civil.Min {
			return
		}
		b = append(moved.Append(b[:0]), ',')
		b = append(append(b, moved.Weekday().Abbrev()...), ',')
		b = append(nominal.Append(b), ',')
		if moved != nominal {
			b = append(append(b, nominal.Weekday().Abbrev()...), ' ')
			b = append(nominal.Append(b), " is closed (weekend); rolled preceding"...)
		}
		b = append(nominal.Append(append(b, ',')), '/')
		b = append(append(b[:len(b)-4], '/'), label...)
		_, _ = w.Write(append(b, '\n'))
	})
	if err := w.Flush(); err != nil {
		return err
	}
	return out.Close()
}
