package tabular

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
)

// ColumnKind is what a column holds.
type ColumnKind int

// The kinds of columns.
const (
	TextColumn ColumnKind = iota
	EmptyColumn
	DateColumn
	NumberColumn
	LabelColumn   // labels of stretches of time
	WeekdayColumn // names of weekdays
	HalfColumn    // halves of days, as AM and PM
	TermColumn    // lengths of time with their units
)

// ColumnLook is what a column holds.
type ColumnLook struct {
	Name string
	Kind ColumnKind
	// Form is how its dates or numbers are to be declared; "" where they are plain.
	Form string
	// Also are other forms that read all its dates, to other days.
	Also []string
	// Words are those among its dates or terms, by what they say, each once.
	Words map[WordKind][]string
	// FarDates are dates that stand for none, as they are written.
	FarDates []string
	// Odd are cells that are none of it, as they are written, the first ones; NumOdd counts all.
	Odd              []string
	NumOdd           int
	Filled, Distinct int
	// Language is the one that all words of its dates are of, where some mean two months; "" else.
	Language string
	unclear  []string // words of its dates that mean two months
	// LacksYear says that its dates have none.
	LacksYear bool
	// Halves are the words of a column of halves, by what they mean.
	Halves map[language.HalfDay]string
	// Why says how a form was settled that the cells alone don't tell; "" where they do.
	Why string
}

// maxOddCells is how many cells of a column that are no dates are listed.
const maxOddCells = 5

// lookAtColumns looks at each column of the table.
func (k *looker) lookAtColumns() {
	k.layout.NumRows = len(k.rows)
	for i, name := range k.names {
		c := k.column(i)
		c.Name = name
		k.layout.Columns = append(k.layout.Columns, c)
		if d, ok := languageDoubt(c); ok {
			k.layout.Doubts = append(k.layout.Doubts, d)
		}
		if len(c.Also) == 0 {
			continue
		}
		forms := append([]string{c.Form}, c.Also...)
		d := Doubt{Column: name, Matters: true, Text: fmt.Sprintf("the dates in `%s` can be read as %s, which are different days", name, strings.Join(forms, " or as "))}
		for _, f := range forms {
			d.Answers = append(d.Answers, Answer{"read-dates", f, ""})
		}
		k.layout.Doubts = append(k.layout.Doubts, d)
	}
}

// languageDoubt asks for the language of a column with words that mean two months.
func languageDoubt(c ColumnLook) (d Doubt, ok bool) {
	if len(c.unclear) == 0 {
		return d, false
	}
	w := language.Lookup(c.unclear[0], nil)
	d = Doubt{Column: c.Name, Matters: true, Text: fmt.Sprintf("in `%s`, %q is %s", c.Name, c.unclear[0], w.Conflict)}
	of := w.Languages
	if c.Language != "" {
		d.Text += "; the other dates are of the language " + c.Language
		of = []string{c.Language}
	}
	for _, code := range of {
		d.Answers = append(d.Answers, Answer{"language", code, ""})
	}
	return d, true
}

// LookAtCells looks at some cells of a column.
func LookAtCells(name string, cells []string, told Told) ColumnLook {
	k := &looker{told: told, names: []string{name}, layout: &Layout{}}
	for i, s := range cells {
		k.rows = append(k.rows, GridRow{i + 2, []eval.Value{eval.Str(s)}})
	}
	c := k.column(0)
	c.Name = name
	return c
}

// column looks at a column.
func (k *looker) column(at int) (c ColumnLook) {
	var cells []eval.Value
	seen := map[string]bool{}
	for _, r := range k.rows {
		if at < len(r.Cells) && !isBlankCell(r.Cells[at]) {
			cells = append(cells, r.Cells[at])
			seen[strings.TrimSpace(r.Cells[at].String())] = true
		}
	}
	if c.Filled, c.Distinct = len(cells), len(seen); len(cells) == 0 {
		c.Kind = EmptyColumn
		return c
	}
	name := k.names[at]
	if k.dates(name, cells, &c) {
		return c
	}
	texts := make([]string, len(cells))
	for i := range cells {
		texts[i] = strings.TrimSpace(cells[i].String())
	}
	switch {
	case allMatch(texts, func(s string) bool {
		return language.Lookup(strings.Trim(s, ". ()"), k.told.Context.Language).Weekdays != 0
	}):
		c.Kind = WeekdayColumn
	case allMatch(texts, func(s string) bool { return language.HalfOfWord(s) != language.WholeDay && !strings.Contains(s, "0") }):
		c.Kind, c.Halves = HalfColumn, map[language.HalfDay]string{}
		for _, s := range texts {
			c.Halves[language.HalfOfWord(s)] = s
		}
	case allMatch(texts, func(s string) bool { _, ok := eval.ParseNumber(s); return ok }):
		c.Kind = NumberColumn
	case len(FittingNumberForms(texts)) > 0:
		c.Kind, c.Form = NumberColumn, FittingNumberForms(texts)[0]
	case AreLabels(texts, k.told.Context):
		c.Kind = LabelColumn
	default:
		if terms := LookAtTerms(name, texts); terms.Kind == TermColumn && terms.NumOdd*2 <= len(texts) {
			terms.Filled, terms.Distinct = c.Filled, c.Distinct
			return terms
		}
	}
	return c
}

// LookAtTerms looks at cells as lengths of time; they are a TermColumn if one has a unit.
func LookAtTerms(name string, texts []string) (c ColumnLook) {
	c.Name = name
	words := map[WordKind][]string{}
	var odd []string
	units := 0
	for _, text := range texts {
		_, err := language.ParseTerm(text, nil, true)
		_, plain := eval.ParseNumber(text)
		switch {
		case err == nil || errors.As(err, new(*language.TermError)):
			units++
		case plain:
		case strings.ContainsAny(text, "0123456789"):
			odd = append(odd, text)
		default:
			kind := KindOfWord(text)
			words[kind] = appendWord(words[kind], text)
			if kind == UnknownWord {
				odd = append(odd, text)
			}
		}
	}
	if units > 0 {
		c.Kind = TermColumn
	}
	c.Words, c.NumOdd, c.Odd = words, len(odd), odd[:min(len(odd), maxOddCells)]
	return c
}

// appendWord is a list with a word behind it, if it isn't there yet.
func appendWord(list []string, word string) []string {
	if slices.Contains(list, word) {
		return list
	}
	return append(list, word)
}

func allMatch(texts []string, is func(s string) bool) bool {
	return !slices.ContainsFunc(texts, func(s string) bool { return !is(s) })
}

// dates looks at a column as one of dates; false if it is none.
func (k *looker) dates(name string, cells []eval.Value, c *ColumnLook) bool {
	var texts []string // of cells that could be dates in some form
	typed := 0
	open := map[string]bool{}
	for _, w := range k.told.OpenWords {
		open[strings.ToLower(strings.TrimSpace(w))] = true
	}
	c.Words = map[WordKind][]string{}
	others := 0
	for _, v := range cells {
		text := strings.TrimSpace(v.String())
		switch _, isISO := eval.AsDate(v); {
		case open[strings.ToLower(text)]:
		case isISO:
			typed++
		case strings.ContainsAny(text, "0123456789"):
			texts = append(texts, text)
		default:
			kind := KindOfWord(text)
			if kind == UnknownWord {
				others++
			}
			c.Words[kind] = appendWord(c.Words[kind], text)
		}
	}
	isTold := slices.ContainsFunc(k.told.Dates, func(d string) bool { return phrase.NamesEqual(d, name) })
	if typed+len(texts) == 0 && !isTold {
		c.Words = nil
		return false
	}
	form, also, odd := k.settle(name, cells, texts, c)
	c.LacksYear = form == "" && len(texts) > 0 && k.lacksYear(texts) && !AreLabels(texts, k.told.Context)
	good := typed + len(texts) - len(odd)
	if good == 0 && AreLabels(texts, k.told.Context) {
		c.Words = nil
		return false
	}
	if good == 0 || good*10 < (typed+len(texts))*5 || typed == 0 && form == "" || good*2 < others {
		if !isTold {
			c.Words = nil
			return false
		}
	}
	c.Kind, c.Form, c.Also, c.NumOdd = DateColumn, form, also, len(odd)
	c.Odd = odd[:min(len(odd), maxOddCells)]
	c.Language, c.unclear = languageOf(odd, texts)
	k.farDates(cells, c)
	return true
}

// languageOf finds the words that mean two months among dates that can't be read, and the only
// language that has all words of a column's dates for months; "" where there are none, or several.
func languageOf(odd, texts []string) (code string, unclear []string) {
	monthWords := func(texts []string, is func(language.Word) bool) (words []string) {
		for _, s := range texts {
			p, ok := scanDateParts(dropTime(s), nil)
			for i, w := range p.words[:p.numWords] {
				if ok && is(w) && !slices.Contains(words, p.texts[i]) {
					words = append(words, p.texts[i])
				}
			}
		}
		return words
	}
	if unclear = monthWords(odd, func(w language.Word) bool { return w.Conflict != "" }); unclear == nil {
		return "", nil
	}
	all := monthWords(texts, func(w language.Word) bool { return w.Month != 0 || w.Conflict != "" })
	if of := language.Common(all); len(of) == 1 {
		code = of[0]
	}
	return code, unclear
}

// settle finds the form that reads the most of some texts, the others that read as many to other
// days, and what the form doesn't read.
func (k *looker) settle(name string, cells []eval.Value, texts []string, c *ColumnLook) (form string, also, odd []string) {
	if len(texts) == 0 {
		return "", nil, nil
	}
	told := ""
	for column, f := range k.told.Forms {
		if phrase.NamesEqual(column, name) || column == "" && told == "" {
			told = f
		}
	}
	names := []string{"dmy", "mdy", "ymd"}
	if k.year > 0 && told == "" {
		for _, n := range names {
			names = append(names, fmt.Sprintf("%s %d", n, k.year))
		}
	}
	if told != "" {
		names = []string{told}
	}
	best := 0
	var read [][]civil.Date
	var fits []string
	for _, n := range names {
		days, good := k.readBy(n, texts)
		switch {
		case good == 0 || good < best:
		case good > best:
			best, read, fits = good, [][]civil.Date{days}, []string{n}
		case !slices.ContainsFunc(read, func(o []civil.Date) bool { return slices.Equal(o, days) }):
			read, fits = append(read, days), append(fits, n)
		}
	}
	if len(fits) == 0 || best*10 < len(texts)*5 || allMatch(texts, digitsOnly) && told == "" {
		if told == "" {
			return "", nil, texts
		}
		return told, nil, texts
	}
	pick := 0
	if len(fits) > 1 {
		pick, c.Why = byOrder(read)
	}
	for i, d := range read[pick] {
		if d == civil.None {
			odd = append(odd, texts[i])
		}
	}
	if c.Why != "" {
		return fits[pick], nil, odd
	}
	form = fits[pick]
	return form, slices.Delete(fits, pick, pick+1), odd
}

// lacksYear reports whether texts are dates without a year.
func (k *looker) lacksYear(texts []string) bool {
	for _, order := range []string{"dmy", "mdy"} {
		if allMatch(texts, func(s string) bool {
			_, _, ok := dateOrder{letters: order, year: 2028, context: k.told.Context}.read(s)
			return ok
		}) {
			return true
		}
	}
	return false
}

// readBy reads texts by a form; None for those that it doesn't read.
func (k *looker) readBy(form string, texts []string) (days []civil.Date, good int) {
	list, err := ParseDateLayouts(form, k.told.Context)
	if err != nil {
		return nil, 0
	}
	for _, s := range texts {
		d, _, ok := ReadDate(s, list)
		if !ok {
			d = civil.None
		} else {
			good++
		}
		days = append(days, d)
	}
	return days, good
}

// byOrder picks the reading under which a column is sorted, where others go up and down.
func byOrder(read [][]civil.Date) (pick int, why string) {
	falls := make([]int, len(read))
	for i, days := range read {
		last := civil.None
		for _, d := range days {
			if d != civil.None {
				if last != civil.None && d < last {
					falls[i]++
				}
				last = d
			}
		}
	}
	for i := range falls {
		sorted := true
		for o := range falls {
			sorted = sorted && (o == i || falls[i]*4+2 < falls[o] || falls[i] == 0 && falls[o] > 1)
		}
		if sorted && len(read[i]) > 3 {
			return i, "so its dates are in order"
		}
	}
	return 0, ""
}

// farDates finds dates that stand for none: the last day of a calendar once, any other twice or
// more and thirty years behind the next.
func (k *looker) farDates(cells []eval.Value, c *ColumnLook) {
	type far struct {
		text  string
		count int
	}
	var list []civil.Date
	by := map[civil.Date]*far{}
	layouts, _ := ParseDateLayouts(cmp.Or(c.Form, "ymd"), k.told.Context)
	for _, v := range cells {
		d, _, ok := ReadCell(v, layouts)
		if when, isDate := eval.AsDate(v); isDate {
			d, ok = when.Day, true
		}
		if !ok {
			continue
		}
		if by[d] == nil {
			by[d] = &far{text: strings.TrimSpace(v.String())}
			list = append(list, d)
		}
		by[d].count++
	}
	slices.Sort(list)
	for i := len(list) - 1; i >= 0; i-- {
		y, m, day := list[i].YMD()
		last := (y == 9999 || y == 2999) && m == 12 && day == 31
		apart := i > 0 && list[i]-list[i-1] > 30*365 && by[list[i]].count > 1
		if !last && !apart {
			return
		}
		c.FarDates = append(c.FarDates, by[list[i]].text)
	}
}
