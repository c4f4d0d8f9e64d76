package eval

import (
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
)

// ParseWindow reads a stretch of time: a period by its name (2027, 2027-H1, 2027-Q2,
// 2027-03, 2027-W13, FY2027, FY2027-M03), or A..B where each end is such a name, a date or a
// phrase (today..today, +90 days).
func ParseWindow(text string, env Env) (civil.Span, error) {
	text = strings.TrimSpace(text)
	if s, ok := env.Fiscal.ParseSpan(text); ok {
		return s, nil
	}
	from, to, ranged := strings.Cut(text, "..")
	if !ranged {
		return civil.Span{}, &phrase.Error{Phrase: text, Span: phrase.Span{End: len(text)}, Message: "not a span of time",
			Hint: "write 2027, 2027-H1, 2027-Q2, 2027-03, 2027-W13, FY2027, FY2027-Q1, FY2027-M03 or 2027-01-04..2027-02-03"}
	}
	if strings.TrimSpace(from) == "" || strings.TrimSpace(to) == "" {
		return civil.Span{}, &phrase.Error{Phrase: text, Span: phrase.Span{End: len(text)},
			Message: "a range needs both a start and an end",
			Hint:    "for example: 2027..2028, or 2027-03-01..9999 for one without an end"}
	}
	first, err := windowEnd(from, env)
	if err != nil {
		return civil.Span{}, err
	}
	last, err := windowEnd(to, env)
	if err != nil {
		return civil.Span{}, err
	}
	s := civil.Span{First: first.First, Last: last.Last}
	if s.Last < s.First {
		return s, &phrase.Error{Phrase: text, Span: phrase.Span{End: len(text)},
			Message: "this window ends before it starts: " + s.First.String() + " to " + s.Last.String()}
	}
	return s, nil
}

// ComputeDate works out a phrase that stands alone and must give a date.
func ComputeDate(text string, env Env) (civil.Date, error) {
	env.Names = nil
	p, err := Compile(text, nil, env)
	if err != nil {
		return civil.None, err
	}
	v, err := p.Eval(nil)
	if err == nil && v.Kind != Date && v.Kind != DateTime {
		err = &phrase.Error{Phrase: text, Span: phrase.Span{End: len(text)},
			Message: "expected a date such as 2027-03-31, found " + kindNames[v.Kind]}
	}
	return v.Day, err
}

func windowEnd(text string, env Env) (civil.Span, error) {
	text = strings.TrimSpace(text)
	if s, ok := env.Fiscal.ParseSpan(text); ok {
		return s, nil
	}
	d, err := ComputeDate(text, env)
	return civil.Span{First: d, Last: d}, err
}
