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
	"yoyaku/internal/query"
)

// overrideKeys are the keys of a day by hand of a series, seriesOverrideKeys those of one that names
// its series. What they say depends on each other and is read at once.
var (
	overrideKeys       = &keyGroup{label: "a date moved by hand", keys: overrideKeyList}
	seriesOverrideKeys = &keyGroup{label: "a date moved by hand", keys: append([]*declare.Key{
		{Name: "series", Required: true, Help: "the series", Example: "crew-pay", Value: textKind.Call(ignoreText)},
	}, overrideKeyList...)}
	overrideKeyList = []*declare.Key{
		{Name: "id", Required: true, Help: "the date's id", Example: "2028-12/last",
			Details: "`yoyaku dates SERIES` lists the ids.", Value: textKind.Call(ignoreText)},
		{Name: "date", Required: true, Help: "the day it moves to, or `none` to leave it out", Example: "2028-12-20",
			Value: textKind.Call(ignoreText)},
		{Name: "why", Required: true, Help: "the reason", Example: "early pay before the holidays", Value: textKind.Call(ignoreText)},
		{Name: "by", Help: "who decided it", Example: "A. Gull", Value: textKind.Call(ignoreText)},
		{Name: "what", Help: "the milestone that moves", Default: "the date itself", Example: "bank-file",
			Value: textKind.Call(ignoreText)},
	}
)

// takesOverrides takes a list of days by hand, or the table that holds them.
func takesOverrides(fill func(v *node) error, of *keyGroup) declare.ValueSpec {
	return declare.ValueSpec{Description: "a list of moved dates, or {table: FILE}", Form: declare.FormListOrTable,
		Item: func() declare.Mapping { return of }, Assign: fills(fill)}
}

// readOverrides reads days by hand; s is nil if each names its series.
func (p *Plan) readOverrides(v *node, s *schedule.Series) error {
	known := seriesOverrideKeys
	if s != nil {
		known = overrideKeys
	}
	if m, ok := v.valueNode.(*ast.MappingNode); ok && len(m.Values) == 1 && m.Values[0].Key.GetToken().Value == "table" {
		return p.eachRow(v.doc, m.Values[0].Value, func(_ []string, row rowPos, cell func(string) (string, bool)) error {
			keys := map[string]*node{}
			for _, k := range known.keys {
				if text, ok := cell(k.Name); ok && text != "" {
					keys[k.Name] = &node{doc: row.doc, valueNode: nodeOfCell(text, row.line)}
				}
			}
			return p.setOverride(row.doc.pos(row.node), keys, s)
		})
	}
	if _, list := v.valueNode.(*ast.SequenceNode); !list {
		return v.fail("`instead` expects a list: `- {id: 2028-12/last, date: 2028-12-20, why: early pay before the holidays}`, or {table: moved.csv}")
	}
	items, err := v.items("")
	if err != nil {
		return err
	}
	for _, item := range items {
		keys := map[string]*node{}
		parts, err := known.split(item)
		for _, part := range parts {
			keys[part.name] = part
		}
		if err == nil {
			err = p.setOverride(item.pos(), keys, s)
		}
		if err := item.doc.collectError(err); err != nil {
			return err
		}
	}
	return nil
}

// setOverride sets one day by hand.
func (p *Plan) setOverride(pos Pos, keys map[string]*node, s *schedule.Series) error {
	text := map[string]string{}
	for key, v := range keys {
		var err error
		if text[key], err = v.doc.text(v.valueNode); err != nil {
			return err
		}
	}
	for _, key := range []string{"series", "id", "date", "why"} {
		if text[key] == "" && (key != "series" || s == nil) {
			return pos.wrap(fmt.Errorf(
				"a date moved by hand needs `%s`: {id: 2028-12/last, date: 2028-12-20, why: early pay before the holidays}", key))
		}
	}
	if s == nil {
		if s = p.FindSeries(text["series"]); s == nil {
			if p.broken[foldName(text["series"])] {
				return nil
			}
			return keys["series"].wrap(p.UnknownSeries(text["series"]))
		}
	}
	h := schedule.Override{ID: text["id"], What: "date", Reason: schedule.OverrideReason(text["why"], text["by"],
		text["date"] == "none")}
	if what := text["what"]; what != "" {
		i := slices.IndexFunc(s.Milestones, func(m schedule.Milestone) bool { return phrase.NamesEqual(m.Name, what) })
		switch {
		case i >= 0:
			h.What = s.Milestones[i].Name
		case what != "date":
			return keys["what"].wrap(fmt.Errorf("`%s` has no milestone `%s`", s.Name, what))
		}
	}
	if date := text["date"]; date != "none" {
		v, ok := query.ParseMoment(date)
		if !ok {
			return keys["date"].wrap(
				fmt.Errorf("expected a date such as 2028-12-20 or 2028-12-20T16:30, or `none` to leave the date out, found %q", date))
		}
		h.At = v
	}
	if s.OverrideOf(h.What, h.ID) != nil {
		return keys["id"].wrap(fmt.Errorf("`%s` has two entries for %s", s.Name,
			strings.TrimPrefix(h.What+" of "+h.ID, "date of ")))
	}
	if h.At.Kind == eval.DateTime && !s.HasTime(h.What) {
		return keys["date"].wrap(fmt.Errorf("the dates of `%s` have no time; write %s", s.Name, h.At.Day))
	}
	p.seriesPos[s.Name]["instead."+h.What+"."+h.ID] = pos
	err := s.SetOverride(h)
	var unknown *schedule.UnknownDateError
	if errors.As(err, &unknown) {
		p.addFault(keys["id"].pos(), s.Name, "%v", err)
		return nil
	}
	return keys["id"].wrap(err)
}
