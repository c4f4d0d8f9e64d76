package phrase

import (
	"errors"
	"strings"

	"yoyaku/internal/core/recur"
)

// Parse reads a phrase of any kind. Errors are of type *Error.
func Parse(text string) (p *Phrase, err error) { return parse(text, false) }

// atRuleIn reports whether `rule in` a column begins here.
func (p *parser) atRuleIn() bool { return p.peek().isWord("rule") && peekStepsIn(p) }

// parse reads a phrase; ruled says that a rule is asked for, where `rule in` is one.
func parse(text string, ruled bool) (p *Phrase, err error) {
	ps, err := newParser(text)
	if err != nil {
		return nil, err
	}
	defer func() {
		recoverError(recover(), ps.text, &err)
		var e *Error
		if errors.As(err, &e) {
			if write := ForeignHint(ps.text, e.Span); write != "" {
				e.Hint = "write `" + write + "`"
			}
		}
	}()
	p = &Phrase{Text: ps.text}
	if IsRule(text) || ruled && ps.atRuleIn() {
		p.Rule = ps.rule()
	} else {
		p.Expr = ps.condition()
	}
	ps.expectEnd()
	return p, nil
}

// ParseRule reads a phrase that must be a rule.
func ParseRule(text string) (*Rule, error) {
	p, err := parse(text, true)
	if err != nil {
		return nil, err
	}
	if p.Rule == nil {
		first := strings.Fields(p.Text)[0]
		return nil, &Error{Phrase: p.Text, Span: Span{0, len(first)},
			Message: "expected a rule, which starts with a cadence",
			Hint:    "for example: monthly on 15, last then roll preceding"}
	}
	return p.Rule, nil
}

// ParseExpr reads a phrase that must not be a rule.
func ParseExpr(text string) (Expr, error) {
	p, err := Parse(text)
	if err != nil {
		return nil, err
	}
	if p.Rule != nil {
		first := strings.Fields(p.Text)[0]
		return nil, &Error{Phrase: p.Text, Span: Span{0, len(first)},
			Message: "expected a single value, found a rule, which gives many dates",
			Hint:    "`yoyaku dates` lists the dates of a rule"}
	}
	return p.Expr, nil
}

// IsRule reports whether a phrase is a rule: whether it starts with a cadence
// word, every, dates or rrule, and goes on as a rule may.
func IsRule(text string) bool {
	f := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !wordRune(r) && r != '-' })
	if len(f) == 0 || !strings.HasPrefix(strings.ToLower(strings.TrimSpace(text)), f[0]) {
		return false
	}
	for _, w := range cadenceWords {
		if f[0] == w {
			return !continuesAsName(strings.ToLower(strings.TrimSpace(text))[len(w):])
		}
	}
	return false
}

// continuesAsName reports whether what follows a cadence word makes a name of it, since
// no rule goes on so: an operator, a comma, `on or after`.
func continuesAsName(rest string) bool {
	rest = strings.TrimSpace(rest)
	f := strings.Fields(rest)
	return rest != "" && strings.ContainsRune("*/+-=<>!&,)", rune(rest[0])) || len(f) > 1 &&
		(f[0] == "on" && f[1] == "or" || f[0] == "by" || f[0] == "dates" && f[1] == "from")
}

// ParseExprOf is ParseExpr where names are known: a cadence word that stands alone
// is a name if there is one.
func ParseExprOf(text string, known func(name string) bool) (Expr, error) {
	if word := strings.TrimSpace(text); IsRule(word) && len(strings.Fields(word)) == 1 && known(word) {
		return &Name{Span{0, len(word)}, word}, nil
	}
	return ParseExpr(text)
}

type parser struct {
	text        string
	toks        []token
	pos         int
	inBranch    int // above zero inside a branch of `if`, where steps need parentheses
	depth       int // how deep parentheses, `not` and `if` are nested here
	ops         int // operators so far
	lastNameEnd int // the place behind the last name that stood without quotes
	// inChoice says that a date is chosen after `then`, where a day of the year may stand.
	inChoice bool
	inRule   bool // inside a rule, where more words are the language's own
}

// maxDepth and maxOps bound what one phrase may hold, so that no phrase can
// exhaust the machine.
const (
	maxDepth = 200
	maxOps   = 2000
)

// enter goes one level deeper; call what it returns on the way out.
func (p *parser) enter() func() {
	if p.depth++; p.depth > maxDepth {
		failAt(p.peek().Span, "this phrase is nested too deep",
			"at most "+itoa(maxDepth)+" levels of parentheses, `not` and `if`; split it into columns")
	}
	return func() { p.depth-- }
}

// countOp counts a step, an operator that joins two sides, or a value of a list.
func (p *parser) countOp() {
	if p.ops++; p.ops > maxOps {
		failAt(p.peek().Span, "this phrase has too many parts", "at most "+itoa(maxOps)+" steps, operators and values of a list; for more values, use a table with match")
	}
}

func newParser(text string) (*parser, error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return nil, &Error{Message: "an empty phrase", Hint: "for example: monthly on 15, last then roll preceding"}
	}
	toks, err := scan(text)
	var e *Error
	if errors.As(err, &e) {
		if write := ForeignHint(text, e.Span); write != "" {
			e.Hint = "write `" + write + "`"
		}
	}
	return &parser{text: text, toks: toks}, err
}

func (p *parser) peek() token        { return p.toks[p.pos] }
func (p *parser) peekAt(n int) token { return p.toks[min(p.pos+n, len(p.toks)-1)] }
func (p *parser) next() token        { t := p.peek(); p.pos = min(p.pos+1, len(p.toks)-1); return t }
func (p *parser) prevSpan() Span     { return p.toks[max(p.pos-1, 0)].Span }

func (t token) isWord(words ...string) bool {
	if t.kind != tWord {
		return false
	}
	for _, w := range words {
		if t.word == w {
			return true
		}
	}
	return false
}

func (t token) isSign(s string) bool { return t.kind == tSign && t.word == s }

// accept takes the next tokens if they are these words.
func (p *parser) accept(words ...string) bool {
	for k, w := range words {
		if !p.peekAt(k).isWord(w) {
			return false
		}
	}
	p.pos += len(words)
	return true
}

func (p *parser) expect(word, after string) {
	if !p.accept(word) {
		t := p.peek()
		failAt(t.Span, "expected `"+word+"` after "+after+p.describe(t), p.quoteHint(t))
	}
}

// quoteHint advises quotes where a word behind a name may be part of it.
func (p *parser) quoteHint(t token) string {
	if p.lastNameEnd == 0 || p.lastNameEnd != p.pos || t.kind != tWord {
		return ""
	}
	return quotedNameText(p.text[p.toks[p.pos-1].Start:t.End])
}

// quotedNameText says how a name with a space is written.
func quotedNameText(name string) string {
	return `put a column's name with a space in double quotes: "` + name + `"`
}

// describe says what is at a token, for the end of a message.
func (p *parser) describe(t token) string {
	if t.kind == tEnd {
		return ", but the phrase ends"
	}
	return ", found `" + p.text[t.Start:t.End] + "`"
}

func (p *parser) expectEnd() {
	t := p.peek()
	switch {
	case t.kind == tEnd:
		return
	}
	hint := p.quoteHint(t)
	if hint == "" {
		hint = "separate steps with commas"
	}
	failAt(t.Span, "unexpected text after the end of the phrase"+p.describe(t), hint)
}

// expr reads a base and its steps.
func (p *parser) expr() Expr {
	start := p.peek()
	var base Expr
	if p.inBranch > 0 || !p.peekStep() {
		base = p.base()
	}
	if _, choice := base.(*If); choice && !p.toks[max(p.pos-1, 0)].isSign(")") && (p.peek().isSign(",") || p.peekShift()) {
		failAt(p.peek().Span, "steps in a branch of `if` need parentheses", "for example: if c = 1 then (a, +1 day) else b")
	}
	s := Steps{Span: start.Span, Base: base}
	for p.inBranch == 0 {
		if base == nil && len(s.List) == 0 || p.peekShift() {
			s.List = append(s.List, p.step())
			continue
		}
		if !p.peek().isSign(",") {
			break
		}
		p.next()
		s.List = append(s.List, p.step())
	}
	if base != nil && len(s.List) == 0 {
		return base
	}
	s.Span = start.extendTo(p.prevSpan())
	return &s
}

// base reads what steps start from.
func (p *parser) base() Expr {
	a := p.number("a date, a name or `today`")
	for p.accept("otherwise") {
		p.countOp()
		b := p.number("what to use if the first is blank")
		a = &Otherwise{a.Pos().extendTo(b.Pos()), a, b}
	}
	return a
}

// operand reads a literal, a name, today, `earlier of …` or parentheses.
func (p *parser) operand(want string) Expr {
	t := p.next()
	switch {
	case t.kind == tDate:
		return &Date{t.Span, t.date}
	case t.kind == tNumber:
		return &Number{t.Span, t.num, decimal(t)}
	case t.isSign("-") && p.peek().kind == tNumber:
		n := p.next()
		return &Number{t.extendTo(n.Span), -n.num, "-" + n.word}
	case t.kind == tQuoted:
		return &Name{t.Span, t.word}
	case t.kind == tSeriesRef:
		return &SeriesRef{t.Span, t.series, t.word}
	case t.isWord("today"):
		return &Today{t.Span}
	case t.isSign("("):
		defer p.enter()()
		bare := p.inBranch
		p.inBranch = 0
		defer func() { p.inBranch = bare }()
		e := p.condition()
		if !p.peek().isSign(")") {
			failAt(p.peek().Span, "expected `)`"+p.describe(p.peek()), p.quoteHint(p.peek()))
		}
		p.next()
		return e
	case t.isWord("earlier", "later") && p.peek().isWord("of"):
		defer p.enter()()
		p.next()
		a := p.operand("a date")
		p.expect("and", "`"+t.word+" of A`")
		b := p.operand("a date")
		return &EarlierLater{t.extendTo(b.Pos()), t.word == "later", a, b}
	case t.isWord("if"):
		return p.ifExpr(t)
	case t.kind == tText:
		return &Text{t.Span, t.word}
	case t.kind == tWord && !reserved[t.word] && !(p.inRule && reservedInRules[t.word]):
		p.rejectForeign(t)
		p.lastNameEnd = p.pos
		return &Name{t.Span, p.text[t.Start:t.End]}
	}
	if t.kind == tStretch {
		failAt(t.Span, "a range of days can only follow `leaving out`", "list the dates one by one, with commas")
	}
	p.pos--
	if t.kind == tEnd {
		p.pos++
	}
	hint := p.suggestion(t)
	if t.kind == tWord && (reserved[t.word] || p.inRule && reservedInRules[t.word]) && hint == "" {
		hint = "`" + t.word + "` is a word of the language; put a column of that name in double quotes"
	}
	failAt(t.Span, "expected "+want+p.describe(t), hint)
	return nil
}

// decimal returns the text of a number with a fraction.
func decimal(t token) string {
	if t.num < 0 {
		return t.word
	}
	return ""
}

// rejectForeign refuses a word at the head of a phrase that isn't meant as a name: a
// word that people bring from elsewhere.
func (p *parser) rejectForeign(t token) {
	next := p.peek()
	if name, rest, ok := cutSign(t.word); ok && next.kind == tWord && (next.isWord("working") || hasUnit(next.word)) {
		unit := " " + next.word
		failAt(t.extendTo(next.Span), "`"+p.text[t.Start:t.End]+"` is read as one name, since names can have hyphens",
			"write `"+name+", -"+rest+unit+"`")
	}
	if p.pos == 1 && (next.kind == tWord && (next.word == "on" || next.word == "from") || next.kind == tOrdinal) {
		hint := didYouMean(t.word, "rules start with a cadence such as monthly or weekly", append(cadenceWords, stepWords...))
		if next.kind == tWord {
			hint += " (" + quotedNameText(p.text[t.Start:next.End]) + ")"
		}
		failAt(t.Span, "a phrase can't start with `"+p.text[t.Start:t.End]+"`", hint)
	}
}

func hasUnit(word string) bool { _, ok := units[singular(word)]; return ok }

// cutSign splits start-5 into start and 5.
func cutSign(word string) (name, number string, ok bool) {
	i := strings.LastIndexByte(word, '-')
	if i < 1 || i+1 == len(word) {
		return "", "", false
	}
	if _, ok := toInt(word[i+1:]); !ok || strings.Trim(word[i+1:], "0123456789") != "" {
		return "", "", false
	}
	return word[:i], word[i+1:], true
}

// suggestion offers the phrase to write for a word that people bring, or the
// nearest word of the language.
func (p *parser) suggestion(t token) string {
	if t.kind != tWord {
		return ""
	}
	if n := Nearest(t.word, append(cadenceWords, stepWords...)); n != "" && n != t.word {
		return "did you mean `" + n + "`?"
	}
	return ""
}

// using reads a calendar after `using`, if one is named here.
func (p *parser) using() *Using {
	if !p.peek().isWord("using") {
		return nil
	}
	tok := p.next()
	u := &Using{Span: tok.Span}
	if p.peek().isSign("(") {
		p.next()
		name, ok := p.operand("the column that names the calendar").(*Name)
		if !ok || !p.peek().isSign(")") {
			failAt(p.peek().Span, "expected a column's name and `)`"+p.describe(p.peek()), "for example: using (site)")
		}
		p.next()
		u.Column = name
	} else {
		for {
			t := p.next()
			if t.kind != tQuoted && (t.kind != tWord || reserved[t.word]) {
				failAt(t.Span, "expected the name of a calendar"+p.describe(t), "for example: using isles + bank")
			}
			text := t.word
			if t.kind == tWord {
				text = p.text[t.Start:t.End]
			}
			u.Calendars = append(u.Calendars, Name{t.Span, text})
			if !p.peek().isSign("+") || p.peekShift() {
				break
			}
			p.next()
		}
	}
	u.Span = tok.extendTo(p.prevSpan())
	return u
}

// ordinal reads 1st, first, last, 2nd last; n is 0 when there is none.
func (p *parser) ordinal() (n int) {
	t := p.peek()
	switch {
	case t.kind == tOrdinal:
		n = t.num
	case t.kind == tWord && ordinals[t.word] != 0:
		n = ordinals[t.word]
	default:
		return 0
	}
	p.next()
	if n == 0 {
		failAt(t.Span, "ordinals start at 1st", "")
	}
	if n > 0 && p.peek().isWord("last") {
		if n == 1 {
			failAt(t.extendTo(p.peek().Span), "`"+t.word+" last` repeats itself", "write `last`")
		}
		p.next()
		n = -n
	}
	return n
}

// inMonth puts an item into a month and refuses days that no such month has.
func (p *parser) inMonth(it recur.Item, month int, span Span) recur.Item {
	it.Month = month
	longest := 31
	switch month {
	case 2:
		longest = 29
	case 4, 6, 9, 11:
		longest = 30
	}
	if it.Kind == recur.DayNumber && max(it.N, it.To, -it.N) > longest {
		failAt(span, "no such day of "+monthName(month), "")
	}
	return it
}
