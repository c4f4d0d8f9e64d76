package language

import (
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
)

// HalfDay is which part of its day a date speaks of.
type HalfDay uint8

// The parts. Noon is 12:00 itself, which a first day begins at and a last one ends at; a first day
// that is Morning, and a last one that is Afternoon, begins or ends with the day.
const (
	WholeDay HalfDay = iota
	Morning
	Afternoon
	Noon
	EitherHalf // one of the two, without saying which
	OtherTime  // another time than 12:00, which is no half
)

// Minutes is when the part begins, in minutes after midnight.
func (h HalfDay) Minutes() int {
	if h == Afternoon || h == Noon {
		return 12 * 60
	}
	return 0
}

// halfNames are words for the halves of a day, in English, French, German, Spanish, Italian,
// Dutch, Polish and Swedish.
var halfNames = map[HalfDay]string{
	Morning:    "am, a.m, morning, matin, vormittag, vormittags, mañana, manana, mattina, ochtend, rano, fm, förmiddag",
	Afternoon:  "pm, p.m, afternoon, après-midi, apres-midi, nachmittag, nachmittags, tarde, pomeriggio, middag, namiddag, po południu, em, eftermiddag",
	EitherHalf: "½, half day, half-day, half, 0.5, 0,5",
}

var halfWords = sync.OnceValue(func() map[string]HalfDay {
	m := map[string]HalfDay{}
	for half, list := range halfNames {
		for _, w := range strings.Split(list, ", ") {
			for _, form := range forms(w) {
				m[form] = half
			}
		}
	}
	return m
})

// maxHalfWord is more than the bytes of the longest of these words, with what stands around it.
const maxHalfWord = 24

// HalfOfWord is the half of a day that a whole word names; WholeDay for other words.
func HalfOfWord(word string) HalfDay {
	var room [48]byte
	key, ok := appendFolded(room[:0], strings.Trim(word, " ()."))
	if !ok {
		return WholeDay
	}
	return halfWords()[string(key)]
}

// CutHalf takes the half of a day off a date: date is what stands before its word, or the text
// itself where it has none or a time.
func CutHalf(text string) (date string, h HalfDay) {
	text = strings.TrimSpace(text)
	if len(text) < 8 { // shorter than any date with a half
		return text, WholeDay
	}
	if minutes, exact, ok := TimeIn(text); ok {
		switch {
		case minutes == 0 && exact:
			return text, WholeDay
		case minutes == 12*60 && exact:
			return text, Noon
		}
		return text, OtherTime
	}
	if last := text[len(text)-1]; last >= '0' && last <= '9' {
		return text, WholeDay
	}
	// The word stands behind a blank, or in brackets; two words are tried before one.
	from := max(0, len(text)-maxHalfWord)
	for from < len(text) && !utf8.RuneStart(text[from]) {
		from++
	}
	for i, r := range text[from:] {
		if !unicode.IsSpace(r) && r != '(' {
			continue
		}
		word := text[from+i+utf8.RuneLen(r):]
		bracketed := r == '(' || strings.HasPrefix(strings.TrimSpace(word), "(")
		if h := HalfOfWord(word); h != WholeDay && (bracketed || !strings.Contains(word, "0")) {
			if date := strings.TrimRight(text[:from+i], " ,;(-–"); date != "" {
				return date, h
			}
		}
	}
	return text, WholeDay
}

// TimeIn is the time of day behind a date, such as T16:30 or 4:30 PM, in minutes after midnight;
// exact says that it has no seconds besides. ok is false for a text without one.
func TimeIn(text string) (minutes int, exact, ok bool) {
	i := strings.IndexByte(text, ':')
	if i < 1 {
		return 0, false, false
	}
	from := i
	for from > 0 && text[from-1] >= '0' && text[from-1] <= '9' {
		from--
	}
	if from == i || i-from > 2 || from > 0 && text[from-1] != 'T' && text[from-1] != ' ' {
		return 0, false, false
	}
	end := i + 1
	for end < len(text) && (text[end] >= '0' && text[end] <= '9' || text[end] == ':' || text[end] == '.') {
		end++
	}
	clock := text[from:end]
	if i-from == 1 {
		clock = "0" + clock
	}
	if len(clock) < 5 {
		return 0, false, false
	}
	if minutes, ok = civil.ParseClock(clock[:5]); !ok {
		return 0, false, false
	}
	switch HalfOfWord(text[end:]) {
	case Afternoon:
		minutes = minutes%720 + 720
	case Morning:
		minutes %= 720
	}
	return minutes, strings.Trim(clock[5:], ":0.") == "", true
}
