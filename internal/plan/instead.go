package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/question"
)

// instead reads the days of a series that were set by hand.
func (p *Plan) instead(s *schedule.Series, said *layered, _ eval.Env) error {
	t, ok := said.keys["instead"]
	if !ok {
		return nil
	}
	return p.insteads(t.doc, t.val, s)
}

// insteadOfSeries reads `instead` of the plan, whose entries name their series.
func (p *Plan) insteadOfSeries(d *doc, n ast.Node) error { return p.insteads(d, n, nil) }

// insteads reads a list of days by hand, or the table that holds them; s is nil where
// each names its series.
func (p *Plan) insteads(d *doc, n ast.Node, s *schedule.Series) error {
	known := insteadShape
	if s != nil {
		known = insteadOfOneShape
	}
	if m, ok := n.(*ast.MappingNode); ok && len(m.Values) == 1 && m.Values[0].Key.GetToken().Value == "table" {
		return p.eachRow(d, m.Values[0].Value, func(_ []string, at tableAt, cell func(string) (string, bool)) error {
			keys := map[string]spot{}
			for _, k := range known.keys {
				if text, ok := cell(k.name); ok && text != "" {
					keys[k.name] = spot{at.doc, cellNode(text, at.line)}
				}
			}
			return p.byHand(spot{at.doc, at.node}, keys, s)
		})
	}
	seq, ok := n.(*ast.SequenceNode)
	if !ok {
		return d.fail(n, "`instead` is a list: `- {id: 2028-12/last, date: 2028-12-20, why: early pay before the holidays}`; or {table: moved.csv}")
	}
	for _, item := range seq.Values {
		keys := map[string]spot{}
		err := d.each(item, known, func(key string, _, v ast.Node) error {
			keys[key] = spot{d, v}
			return nil
		})
		if err == nil {
			err = p.byHand(spot{d, item}, keys, s)
		}
		if err := d.or(err); err != nil {
			return err
		}
	}
	return nil
}

// byHand sets one day by hand.
func (p *Plan) byHand(at spot, keys map[string]spot, s *schedule.Series) error {
	text := map[string]string{}
	for key, v := range keys {
		var err error
		if text[key], err = v.doc.text(v.node); err != nil {
			return err
		}
	}
	for _, key := range []string{"series", "id", "date", "why"} {
		if text[key] == "" && (key != "series" || s == nil) {
			return at.wrap(fmt.Errorf("a day by hand says `%s`: {id: 2028-12/last, date: 2028-12-20, why: early pay before the holidays}", key))
		}
	}
	if s == nil {
		if s = p.Find(text["series"]); s == nil {
			if p.failed[foldName(text["series"])] {
				return nil
			}
			place := p.Place()
			return keys["series"].wrap(place.UnknownSeries(text["series"]))
		}
	}
	h := schedule.Hand{ID: text["id"], What: "date", Reason: schedule.ByHand(text["why"], text["by"], text["date"] == "none")}
	if what := text["what"]; what != "" {
		i := slices.IndexFunc(s.Milestones, func(m schedule.Milestone) bool { return phrase.SameName(m.Name, what) })
		switch {
		case i >= 0:
			h.What = s.Milestones[i].Name
		case what != "date":
			return keys["what"].wrap(fmt.Errorf("`%s` has no milestone `%s`", s.Name, what))
		}
	}
	if date := text["date"]; date != "none" {
		v, ok := question.ParseMoment(date)
		if !ok {
			return keys["date"].wrap(fmt.Errorf("not a day: %q; it is written 2028-12-20, or 2028-12-20T16:30, or `none` to leave the date out", date))
		}
		h.At = v
	}
	if s.HandOf(h.What, h.ID) != nil {
		return keys["id"].wrap(fmt.Errorf("`%s` has two days by hand for %s", s.Name, strings.TrimPrefix(h.What+" of "+h.ID, "date of ")))
	}
	if h.At.Kind == eval.Moment && !s.Timed(h.What) {
		return keys["date"].wrap(fmt.Errorf("the dates of `%s` have no time, and so has a day by hand: %s", s.Name, h.At.Day))
	}
	p.at[s.Name]["instead."+h.What+"."+h.ID] = at
	err := s.SetHand(h)
	var unknown *schedule.UnknownDate
	if errors.As(err, &unknown) {
		p.fault(keys["id"], s.Name, "%v", err)
		return nil
	}
	return keys["id"].wrap(err)
}
