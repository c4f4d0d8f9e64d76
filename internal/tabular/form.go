package tabular

import (
	"strings"
	"sync"

	"yoyaku/internal/core/eval"
)

// format is how a workbook shows a number (ECMA-376, 18.8.30): the number of a format that
// all have, or else its code; both zero for the general one.
type format struct {
	id   int
	code string
	// from1904 marks numbers of a book whose days count from 1904-01-01.
	from1904 bool
}

// formats are those met so far: a form is its place here, behind those that eval knows.
var formats struct {
	sync.RWMutex
	list []format
	at   map[format]eval.Form
}

// mostFormats is how many are told apart; numbers in others are plain, or of 1904.
const mostFormats = 60_000

// form is that of numbers that are shown so.
func (s format) form() eval.Form {
	if s == (format{}) {
		return eval.Plain
	}
	formats.Lock()
	defer formats.Unlock()
	if formats.at == nil {
		formats.list = []format{{from1904: true}}
		formats.at = map[format]eval.Form{formats.list[0]: eval.FirstForm}
	}
	f, known := formats.at[s]
	switch {
	case known:
		return f
	case len(formats.list) >= mostFormats && s.from1904:
		return eval.FirstForm
	case len(formats.list) >= mostFormats:
		return eval.Plain
	}
	f = eval.FirstForm + eval.Form(len(formats.list))
	formats.list, formats.at[s] = append(formats.list, s), f
	return f
}

// formatOf is how numbers of a form are shown.
func formatOf(f eval.Form) format {
	if n := f.Places(); n > 0 {
		return format{code: "0." + strings.Repeat("0", n)}
	}
	if f < eval.FirstForm {
		return format{}
	}
	formats.RLock()
	defer formats.RUnlock()
	return formats.list[f-eval.FirstForm]
}

// shows reports whether numbers are shown as days, whether as times of day, and whether
// hours go on beyond a day.
func (s format) shows() (days, times, elapsed bool) {
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
