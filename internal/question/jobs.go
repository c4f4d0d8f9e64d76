package question

import (
	_ "embed" // the page
	"strings"
)

//go:embed jobs.txt
var jobsPage string

// OfficeJob is a job of the trade, in its words, and the command that does it.
type OfficeJob struct{ Section, Name, Result, Command string }

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
			name, result, _ := strings.Cut(line, " | ")
			list = append(list, OfficeJob{Section: section, Name: name, Result: result})
		}
	}
	return list
}

// JobsWith are the jobs in which all words stand, or what they begin with.
func JobsWith(words []string) (list []OfficeJob) {
	for _, j := range Jobs() {
		text := strings.ToLower(j.Section + " " + j.Name + " " + j.Result + " " + j.Command)
		fits := true
		for _, w := range words {
			w = strings.ToLower(w)
			fits = fits && (strings.Contains(text, w) || len(w) > 4 && strings.Contains(text, strings.TrimSuffix(w, "s")))
		}
		if fits {
			list = append(list, j)
		}
	}
	return list
}
