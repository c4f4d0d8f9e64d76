package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
)

// waiting is an entry that gives series, and is read when another names one of them, or
// in its turn.
type waiting struct {
	name string // "" for a table of series
	like *node  // the pattern that they are like; nil for none
	read func() error
	done bool
	// faulty says that something of it couldn't be read, which was told.
	faulty bool
	made   []*schedule.Series
	depth  int // how many series it depends on in turn
}

// wait keeps an entry until it is read.
func (p *Plan) wait(w *waiting) {
	if p.waiting = append(p.waiting, w); w.name != "" {
		p.Env.SeriesNames = append(p.Env.SeriesNames, w.name)
	}
}

// waits keeps a series.
func (p *Plan) waits(v *node) error {
	own, err := seriesKeys().open(entry(v.doc, v.name, v.val))
	if err != nil {
		return err
	}
	w := &waiting{name: v.name, read: func() error { return v.doc.or(v.wrap(p.named(v, p.addSeries))) }}
	if i := slices.IndexFunc(own, func(k *node) bool { return k.name == "like" }); i >= 0 {
		w.like = own[i]
	}
	p.wait(w)
	return nil
}

// readWaiting reads all series, and puts them in the order of the file.
func (p *Plan) readWaiting() error {
	for _, w := range p.waiting {
		if err := p.readNow(w); err != nil {
			return err
		}
	}
	p.Series, p.Env.SeriesNames = nil, nil
	for _, w := range p.waiting {
		for _, s := range w.made {
			p.Series, p.Env.SeriesNames = append(p.Series, s), append(p.Env.SeriesNames, s.Name)
		}
	}
	return nil
}

// readNow reads an entry unless it was, in the middle of another one or not.
func (p *Plan) readNow(w *waiting) error {
	if w.done {
		return nil
	}
	if at := slices.Index(p.busy, w); at >= 0 {
		return p.circle(p.busy[at:])
	}
	p.busy = append(p.busy, w)
	reading, about := p.reading, p.doc.collect.telling()
	p.reading = nil
	before := p.doc.collect.count()
	err := w.read()
	w.faulty = p.doc.collect.count() > before
	p.reading, p.busy, w.done = reading, p.busy[:len(p.busy)-1], true
	p.doc.collect.tell(about)
	return err
}

// circle is the fault of series that look into each other.
func (p *Plan) circle(list []*waiting) error {
	var names []string
	for _, w := range append(slices.Clone(list), list[0]) {
		if w.name == "" {
			names = append(names, "the series of a table")
		} else {
			names = append(names, "`"+w.name+"`")
		}
	}
	return fmt.Errorf("these series depend on each other in a circle: %s", strings.Join(names, " → "))
}

// keep keeps a series that was read.
func (p *Plan) keep(s *schedule.Series) {
	if p.Series = append(p.Series, s); !slices.Contains(p.Env.SeriesNames, s.Name) {
		p.Env.SeriesNames = append(p.Env.SeriesNames, s.Name)
	}
	if n := len(p.busy); n > 0 {
		p.busy[n-1].made = append(p.busy[n-1].made, s)
		p.depths[s] = p.busy[n-1].depth
	}
}

// series finds a series for phrases, and reads it first if it is further down.
func (p *Plan) series(name string) (eval.Series, error) {
	s, err := p.seriesOfName(name)
	if s == nil || err != nil {
		return nil, err
	}
	return s, nil
}

func (p *Plan) seriesOfName(name string) (*schedule.Series, error) {
	s, err := p.findSeries(name)
	if n := len(p.busy); s != nil && n > 0 {
		w := p.busy[n-1]
		if w.depth = max(w.depth, p.depths[s]+1); w.depth > mostDeep {
			return nil, fmt.Errorf("this series depends on another, which depends on another, and so on; at most %d deep", mostDeep)
		}
	}
	return s, err
}

// findSeries is a series of a name, which is read first if it is further down; nil if there is
// none.
func (p *Plan) findSeries(name string) (*schedule.Series, error) {
	if s := p.Find(name); s != nil {
		return s, nil
	}
	for _, tables := range []bool{false, true} {
		for _, w := range p.waiting {
			if w.done || (w.name == "") != tables || !tables && !phrase.SameName(w.name, name) ||
				tables && (slices.Contains(p.busy, w) || p.patternOf(name) != nil) {
				continue
			}
			if err := p.readNow(w); err != nil {
				return nil, err
			}
		}
		if s := p.Find(name); s != nil {
			return s, nil
		}
	}
	if p.failed[phrase.FoldName(name)] {
		return nil, errElsewhere
	}
	return nil, nil
}

// seriesAll finds the series of a name, or of a pattern all that are like it.
func (p *Plan) seriesAll(name string) (list []eval.Series, err error) {
	if s, err := p.series(name); s != nil || err != nil {
		return []eval.Series{s}, err
	}
	t := p.patternOf(name)
	if t == nil {
		return nil, nil
	}
	for _, w := range p.waiting {
		if w.like == nil {
			continue
		}
		chain, err := p.chain(w.like)
		if errors.Is(err, errElsewhere) || err == nil && !slices.Contains(chain, t) {
			continue
		}
		if err == nil {
			err = p.readNow(w)
		}
		if err != nil {
			return nil, err
		}
	}
	for _, s := range p.FindAll(name) {
		list = append(list, s)
	}
	return list, nil
}
