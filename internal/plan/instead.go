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
	"yoyaku/internal/declare"
	"yoyaku/internal/question"
)

// dayByHand are the keys of a day by hand of a series, daysByHand those of one that names
// its series. What they say depends on each other and is read at once.
var (
	dayByHand  = &group{what: "a date moved by hand", keys: handKeys}
	daysByHand = &group{what: "a date moved by hand", keys: append([]*declare.Key{
		{Name: "series", Needed: true, Help: "the series", Example: "crew-pay", Takes: aText.Then(nothing)},
	}, handKeys...)}
	handKeys = []*declare.Key{
		{Name: "id", Needed: true, Help: "the date's id", Example: "2028-12/last",
			More: "`yoyaku dates SERIES` lists the ids.", Takes: aText.Then(nothing)},
		{Name: "date", Needed: true, Help: "the day it moves to, or `none` to leave it out", Example: "2028-12-20",
			Takes: aText.Then(nothing)},
		{Name: "why", Needed: true, Help: "the reason", Example: "early pay before the holidays", Takes: aText.Then(nothing)},
		{Name: "by", Help: "who decided it", Example: "A. Gull", Takes: aText.Then(nothing)},
		{Name: "what", Help: "the milestone that moves", Default: "the date itself", Example: "bank-file",
			Takes: aText.Then(nothing)},
	}
)

// byHand takes a list of days by hand, or the table that holds them.
func byHand(fill func(v *node) error, of *group) declare.Takes {
	return declare.Takes{Words: "a list of moved dates, or {table: FILE}", Shape: declare.ListOrTable,
		Item: func() declare.Inside { return of }, Fill: fills(fill)}
}

// insteads reads days by hand; s is nil if each names its series.
func (p *Plan) insteads(v *node, s *schedule.Series) error {
	known := daysByHand
	if s != nil {
		known = dayByHand
	}
	if m, ok := v.val.(*ast.MappingNode); ok && len(m.Values) == 1 && m.Values[0].Key.GetToken().Value == "table" {
		return p.eachRow(v.doc, m.Values[0].Value, func(_ []string, at tableAt, cell func(string) (string, bool)) error {
			keys := map[string]*node{}
			for _, k := range known.keys {
				if text, ok := cell(k.Name); ok && text != "" {
					keys[k.Name] = &node{doc: at.doc, val: cellNode(text, at.line)}
				}
			}
			return p.byHand(at.doc.spot(at.node), keys, s)
		})
	}
	if _, list := v.val.(*ast.SequenceNode); !list {
		return v.fail("`instead` expects a list: `- {id: 2028-12/last, date: 2028-12-20, why: early pay before the holidays}`, or {table: moved.csv}")
	}
	items, err := v.items("")
	if err != nil {
		return err
	}
	for _, item := range items {
		keys := map[string]*node{}
		parts, err := known.open(item)
		for _, part := range parts {
			keys[part.name] = part
		}
		if err == nil {
			err = p.byHand(item.spot(), keys, s)
		}
		if err := item.doc.or(err); err != nil {
			return err
		}
	}
	return nil
}

// byHand sets one day by hand.
func (p *Plan) byHand(at Spot, keys map[string]*node, s *schedule.Series) error {
	text := map[string]string{}
	for key, v := range keys {
		var err error
		if text[key], err = v.doc.text(v.val); err != nil {
			return err
		}
	}
	for _, key := range []string{"series", "id", "date", "why"} {
		if text[key] == "" && (key != "series" || s == nil) {
			return at.wrap(fmt.Errorf(
				"a date moved by hand needs `%s`: {id: 2028-12/last, date: 2028-12-20, why: early pay before the holidays}", key))
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
	h := schedule.Hand{ID: text["id"], What: "date", Reason: schedule.ByHand(text["why"], text["by"],
		text["date"] == "none")}
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
			return keys["date"].wrap(
				fmt.Errorf("expected a date such as 2028-12-20 or 2028-12-20T16:30, or `none` to leave the date out, found %q", date))
		}
		h.At = v
	}
	if s.HandOf(h.What, h.ID) != nil {
		return keys["id"].wrap(fmt.Errorf("`%s` has two entries for %s", s.Name,
			strings.TrimPrefix(h.What+" of "+h.ID, "date of ")))
	}
	if h.At.Kind == eval.Moment && !s.Timed(h.What) {
		return keys["date"].wrap(fmt.Errorf("the dates of `%s` have no time; write %s", s.Name, h.At.Day))
	}
	p.at[s.Name]["instead."+h.What+"."+h.ID] = at
	err := s.SetHand(h)
	var unknown *schedule.UnknownDate
	if errors.As(err, &unknown) {
		p.fault(keys["id"].spot(), s.Name, "%v", err)
		return nil
	}
	return keys["id"].wrap(err)
}
