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

// pendingEntry is an entry that gives series. It is read in its turn, or earlier if another
// names one of its series.
type pendingEntry struct {
	name string // "" for a table of series
	base *node  // the pattern that they are like; nil for none
	read func() error
	done bool
	// isBroken says that something of it couldn't be read, which was told.
	isBroken bool
	made     []*schedule.Series
	depth    int // how many series it depends on in turn
}

// addPending keeps an entry until it is read.
func (p *Plan) addPending(w *pendingEntry) {
	if p.pending = append(p.pending, w); w.name != "" {
		p.Env.SeriesNames = append(p.Env.SeriesNames, w.name)
	}
}

// addPendingSeries keeps a series.
func (p *Plan) addPendingSeries(v *node) error {
	ownKeys, err := seriesKeys().split(rootNode(v.doc, v.name, v.valueNode))
	if err != nil {
		return err
	}
	w := &pendingEntry{name: v.name, read: func() error { return v.doc.collectError(v.wrap(p.readNamed(v, p.addSeries))) }}
	if i := slices.IndexFunc(ownKeys, func(k *node) bool { return k.name == "like" }); i >= 0 {
		w.base = ownKeys[i]
	}
	p.addPending(w)
	return nil
}

// readPending reads all series, and puts them in the order of the file.
func (p *Plan) readPending() error {
	for _, w := range p.pending {
		if err := p.readEntry(w); err != nil {
			return err
		}
	}
	p.Series, p.Env.SeriesNames = nil, nil
	for _, w := range p.pending {
		for _, s := range w.made {
			p.Series, p.Env.SeriesNames = append(p.Series, s), append(p.Env.SeriesNames, s.Name)
		}
	}
	return nil
}

// readEntry reads an entry unless it was, in the middle of another one or not.
func (p *Plan) readEntry(w *pendingEntry) error {
	if w.done {
		return nil
	}
	if at := slices.Index(p.inProgress, w); at >= 0 {
		return p.cycleError(p.inProgress[at:])
	}
	p.inProgress = append(p.inProgress, w)
	reading, about := p.seriesReader, p.doc.collect.subject()
	p.seriesReader = nil
	before := p.doc.collect.numAdded()
	err := w.read()
	w.isBroken = p.doc.collect.numAdded() > before
	p.seriesReader, p.inProgress, w.done = reading, p.inProgress[:len(p.inProgress)-1], true
	p.doc.collect.setSubject(about)
	return err
}

// cycleError is the fault of series that look into each other.
func (p *Plan) cycleError(list []*pendingEntry) error {
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

// addSeriesRead keeps a series that was read.
func (p *Plan) addSeriesRead(s *schedule.Series) {
	if p.Series = append(p.Series, s); !slices.Contains(p.Env.SeriesNames, s.Name) {
		p.Env.SeriesNames = append(p.Env.SeriesNames, s.Name)
	}
	if n := len(p.inProgress); n > 0 {
		p.inProgress[n-1].made = append(p.inProgress[n-1].made, s)
		p.depths[s] = p.inProgress[n-1].depth
	}
}

// seriesForPhrase finds a series for phrases, and reads it first if it is further down.
func (p *Plan) seriesForPhrase(name string) (eval.Series, error) {
	s, err := p.seriesOfName(name)
	if s == nil || err != nil {
		return nil, err
	}
	return s, nil
}

func (p *Plan) seriesOfName(name string) (*schedule.Series, error) {
	s, err := p.findSeries(name)
	if n := len(p.inProgress); s != nil && n > 0 {
		w := p.inProgress[n-1]
		if w.depth = max(w.depth, p.depths[s]+1); w.depth > maxDepth {
			return nil, fmt.Errorf("this series depends on another, which depends on another, and so on; at most %d deep", maxDepth)
		}
	}
	return s, err
}

// findSeries is a series of a name, which is read first if it is further down; nil if there is
// none.
func (p *Plan) findSeries(name string) (*schedule.Series, error) {
	if s := p.FindSeries(name); s != nil {
		return s, nil
	}
	for _, tables := range []bool{false, true} {
		for _, w := range p.pending {
			if w.done || (w.name == "") != tables || !tables && !phrase.NamesEqual(w.name, name) ||
				tables && (slices.Contains(p.inProgress, w) || p.patternOf(name) != nil) {
				continue
			}
			if err := p.readEntry(w); err != nil {
				return nil, err
			}
		}
		if s := p.FindSeries(name); s != nil {
			return s, nil
		}
	}
	if p.broken[phrase.FoldName(name)] {
		return nil, errReportedElsewhere
	}
	return nil, nil
}

// allSeriesForPhrase finds the series of a name, or of a pattern all that are like it.
func (p *Plan) allSeriesForPhrase(name string) (list []eval.Series, err error) {
	if s, err := p.seriesForPhrase(name); s != nil || err != nil {
		return []eval.Series{s}, err
	}
	t := p.patternOf(name)
	if t == nil {
		return nil, nil
	}
	for _, w := range p.pending {
		if w.base == nil {
			continue
		}
		chain, err := p.patternChain(w.base)
		if errors.Is(err, errReportedElsewhere) || err == nil && !slices.Contains(chain, t) {
			continue
		}
		if err == nil {
			err = p.readEntry(w)
		}
		if err != nil {
			return nil, err
		}
	}
	for _, s := range p.FindAllSeries(name) {
		list = append(list, s)
	}
	return list, nil
}
