package question

import (
	_ "embed" // the page
	"slices"
	"strings"
	"unicode"

	"yoyaku/internal/core/phrase"
)

//go:embed jobs.txt
var jobsPage string

// OfficeJob is a job of the trade: its name, what its command gives, further words by which
// people look for it, and the command, which runs in the demo folder.
type OfficeJob struct{ Section, Name, Result, Words, Command string }

// Jobs reads the page of jobs.
func Jobs() (list []OfficeJob) {
	section := ""
	for line := range strings.Lines(jobsPage) {
		line = strings.TrimRight(line, "\n")
		switch {
		case line == "":
		case line[0] == '#':
			section = line[2:]
		case line[0] == ' ':
			list[len(list)-1].Command = strings.TrimSpace(line)
		default:
			name, rest, _ := strings.Cut(line, " | ")
			result, words, _ := strings.Cut(rest, " | ")
			list = append(list, OfficeJob{Section: section, Name: name, Result: result, Words: words})
		}
	}
	return list
}

// JobsWith are the jobs in which each word begins a word; hyphens don't count. If there are
// none, near is the word of a job that looks most like one of them.
func JobsWith(words []string) (list []OfficeJob, near string) {
	asked := strings.Split(bare(strings.Join(words, "\n")), "\n")
	var all []string
	for _, j := range Jobs() {
		said := bare(j.Name + " " + j.Words)
		all = append(all, strings.Fields(said)...)
		text := " " + said + " " + bare(strings.Join([]string{j.Section, j.Result, j.Command}, " "))
		if !slices.ContainsFunc(asked, func(w string) bool {
			return !strings.Contains(text, " "+w) && (len(w) < 5 || !strings.Contains(text, " "+strings.TrimSuffix(w, "s")))
		}) {
			list = append(list, j)
		}
	}
	for _, w := range asked {
		if list == nil && near == "" {
			near = phrase.Nearest(w, all)
		}
	}
	return list, near
}

// bare is a text in lower case, with a space for what is neither letter, digit nor line end.
func bare(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || r == '\n' {
			return unicode.ToLower(r)
		}
		return ' '
	}, text)
}
