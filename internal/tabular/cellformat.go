package tabular

import (
	"strings"
	"sync"

	"yoyaku/internal/core/eval"
)

// numberFormat is how a workbook shows a number (ECMA-376, 18.8.30): the number of a format that
// all have, or else its code; both zero for the general one.
type numberFormat struct {
	id   int
	code string
	// from1904 marks numbers of a book whose days count from 1904-01-01.
	from1904 bool
}

// knownFormats are those met so far: a form is its place here, behind those that eval knows.
var knownFormats struct {
	sync.RWMutex
	list []numberFormat
	at   map[numberFormat]eval.CellFormat
}

// maxFormats is how many are told apart; numbers in others are plain, or of 1904.
const maxFormats = 60_000

// form is that of numbers that are shown so.
func (s numberFormat) form() eval.CellFormat {
	if s == (numberFormat{}) {
		return eval.PlainFormat
	}
	knownFormats.Lock()
	defer knownFormats.Unlock()
	if knownFormats.at == nil {
		knownFormats.list = []numberFormat{{from1904: true}}
		knownFormats.at = map[numberFormat]eval.CellFormat{knownFormats.list[0]: eval.FirstCustomFormat}
	}
	f, known := knownFormats.at[s]
	switch {
	case known:
		return f
	case len(knownFormats.list) >= maxFormats && s.from1904:
		return eval.FirstCustomFormat
	case len(knownFormats.list) >= maxFormats:
		return eval.PlainFormat
	}
	f = eval.FirstCustomFormat + eval.CellFormat(len(knownFormats.list))
	knownFormats.list, knownFormats.at[s] = append(knownFormats.list, s), f
	return f
}

// formatOf is how numbers of a form are shown.
func formatOf(f eval.CellFormat) numberFormat {
	if n := f.Places(); n > 0 {
		return numberFormat{code: "0." + strings.Repeat("0", n)}
	}
	if f < eval.FirstCustomFormat {
		return numberFormat{}
	}
	knownFormats.RLock()
	defer knownFormats.RUnlock()
	return knownFormats.list[f-eval.FirstCustomFormat]
}

// displayKinds reports whether numbers are shown as days, whether as times of day, and whether
// hours go on beyond a day.
func (s numberFormat) displayKinds() (days, times, elapsed bool) {
	switch id := s.id; {
	case id >= 14 && id <= 17, id >= 27 && id <= 31, id == 36, id >= 50 && id <= 54, id == 57, id == 58:
		return true, false, false
	case id == 22:
		return true, true, false
	case id >= 18 && id <= 21, id >= 32 && id <= 35, id >= 45 && id <= 47, id == 55, id == 56:
		return false, true, id == 46
	}
	quoted := false
	for i := 0; i < len(s.code); i++ {
		switch c := s.code[i] | 0x20; {
		case s.code[i] == '"':
			quoted = !quoted
		case quoted:
		case s.code[i] == '\\', s.code[i] == '_', s.code[i] == '*': // the next stands for itself
			i++
		case s.code[i] == '[': // a colour, a condition, or a time beyond a day
			if end := strings.IndexByte(s.code[i:], ']'); end > 0 {
				mark := strings.ToLower(s.code[i+1 : i+end])
				elapsed = elapsed || mark != "" && strings.Trim(mark, mark[:1]) == "" && strings.Contains("hms", mark[:1])
				i += end
			}
		case c == 'y', c == 'd':
			days = true
		case c == 'h', c == 's':
			times = true
		}
	}
	return days, times || elapsed, elapsed
}
