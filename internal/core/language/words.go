package language

import (
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
)

// Word is what a word may be in a date.
type Word struct {
	Month    int   // 1 to 12; 0 if it is none, or languages differ
	Weekdays uint8 // as bits from Monday
	// Languages are those that have the word for a month.
	Languages []string
	// Conflict says which month it is in each language where they differ, such as "October in hr;
	// November in cs, pl".
	Conflict string
}

// Falls reports whether a day is one of some weekdays, as bits from Monday; any is, of none.
func Falls(d civil.Date, weekdays uint8) bool {
	return weekdays == 0 || weekdays>>(d.Weekday()-1)&1 == 1
}

// Lookup finds a word, case and marks aside. Where languages differ, that of first holds; nil for
// none.
func Lookup(word string, first *Language) Word {
	t := tables(first)
	var room [48]byte
	key, ok := appendFolded(room[:0], word)
	if !ok {
		return Word{}
	}
	if w, ok := t[string(key)]; ok {
		return w
	}
	return t[bare(string(key))]
}

// maxWordBytes is more than any name has.
const maxWordBytes = 40

// appendFolded appends a word in lower case, without marks that stand apart from their letters;
// ok is false for one that is longer than any name.
func appendFolded(key []byte, word string) (_ []byte, ok bool) {
	for _, r := range word {
		switch {
		case r >= 0x300 && r < 0x370:
			continue
		case r >= 'A' && r <= 'Z':
			r += 'a' - 'A'
		case r == 'ς':
			r = 'σ'
		case r >= utf8.RuneSelf:
			if r = unicode.ToLower(r); r == 'ς' {
				r = 'σ'
			}
		}
		if key = utf8.AppendRune(key, r); len(key) > maxWordBytes {
			return nil, false
		}
	}
	return key, true
}

var withoutMark = sync.OnceValue(func() map[rune]rune {
	m := map[rune]rune{}
	pair := []rune(bareLetters)
	for i := 0; i < len(pair); i += 2 {
		m[pair[i]] = pair[i+1]
	}
	return m
})

// bare is a folded word without the marks on its letters.
func bare(word string) string {
	m := withoutMark()
	return strings.Map(func(r rune) rune {
		if b, ok := m[r]; ok {
			return b
		}
		return r
	}, word)
}

var (
	common     = sync.OnceValue(func() map[string]Word { return newTable("") })
	ownLock    sync.Mutex
	ownByFirst = map[*Language]map[string]Word{}
)

// tables is the table of words in which those of first are before all others.
func tables(first *Language) map[string]Word {
	if first == nil {
		return common()
	}
	ownLock.Lock()
	defer ownLock.Unlock()
	if ownByFirst[first] == nil {
		ownByFirst[first] = newTable(first.Code)
	}
	return ownByFirst[first]
}

// newTable makes the table of words.
func newTable(first string) map[string]Word {
	t := &tableBuilder{months: map[string]*[13][]string{}, words: map[string]Word{}}
	for _, l := range all {
		if l.Code == "ja" { // whose months are numbers with a sign
			continue
		}
		for _, names := range []string{l.months, l.shortMonths, l.standalone} {
			for i, name := range strings.Fields(names) {
				t.addMonth(l.Code, name, i+1)
			}
		}
		for _, text := range strings.Fields(l.otherMonths) {
			n, name := splitNumber(text)
			t.addMonth(l.Code, name, n)
		}
	}
	for word, of := range t.months {
		t.words[word] = monthWord(of, first)
	}
	for _, l := range all {
		for _, names := range []string{l.weekdays, l.shortWeekdays} {
			for i, name := range strings.Fields(names) {
				t.addWeekday(name, i+1)
			}
		}
		for _, text := range strings.Fields(l.otherWeekdays) {
			n, name := splitNumber(text)
			t.addWeekday(name, n)
		}
	}
	return t.words
}

// tableBuilder collects the months of each word by language, and then the words.
type tableBuilder struct {
	months map[string]*[13][]string
	words  map[string]Word
}

// forms are a name as it is looked up: folded, and without marks.
func forms(name string) []string {
	key, _ := appendFolded(nil, strings.TrimRight(name, "."))
	word := string(key)
	if b := bare(word); b != word {
		return []string{word, b}
	}
	return []string{word}
}

func (t *tableBuilder) addMonth(code, name string, month int) {
	for _, word := range forms(name) {
		if t.months[word] == nil {
			t.months[word] = &[13][]string{}
		}
		if of := &t.months[word][month]; !slices.Contains(*of, code) {
			*of = append(*of, code)
		}
	}
}

// addWeekday adds a name of two letters or more: one letter alone is too little, a sign isn't.
func (t *tableBuilder) addWeekday(name string, day int) {
	for _, word := range forms(name) {
		if len(word) > 1 {
			w := t.words[word]
			w.Weekdays |= 1 << (day - 1)
			t.words[word] = w
		}
	}
}

// monthWord is a word that languages have for months.
func monthWord(of *[13][]string, first string) (w Word) {
	var found []int
	var parts []string
	for m, codes := range of {
		if len(codes) == 0 {
			continue
		}
		slices.Sort(codes)
		found, w.Languages = append(found, m), append(w.Languages, codes...)
		parts = append(parts, civil.MonthNames[m]+" in "+strings.Join(codes, ", "))
		if slices.Contains(codes, first) {
			w.Month = m
		}
	}
	switch {
	case len(found) == 1:
		w.Month = found[0]
	case w.Month == 0:
		w.Conflict = strings.Join(parts, "; ")
	}
	return w
}

// splitNumber takes the number in front of a name off.
func splitNumber(text string) (n int, name string) {
	for text != "" && text[0] >= '0' && text[0] <= '9' {
		n, text = n*10+int(text[0]-'0'), text[1:]
	}
	return n, text
}

// Common are the languages that have all of some words for months; none where a word is of no
// language.
func Common(words []string) (codes []string) {
	codes = Codes()
	for _, word := range words {
		of := Lookup(word, nil).Languages
		codes = slices.DeleteFunc(codes, func(c string) bool { return !slices.Contains(of, c) })
	}
	return codes
}
