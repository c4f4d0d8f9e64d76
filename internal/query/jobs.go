package query

import (
	_ "embed" // the page
	"slices"
	"strings"
	"unicode"

	"yoyaku/demo"
	"yoyaku/internal/core/phrase"
)

//go:embed jobs.txt
var jobsPage string

// JobExample is a job of the trade: its name, what its command gives, further words by which
// people look for it, and the command, which runs in the demo folder.
type JobExample struct{ Section, Name, Result, Keywords, Command string }

// Jobs reads the page of jobs.
func Jobs() (list []JobExample) {
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
			list = append(list, JobExample{Section: section, Name: name, Result: result, Keywords: words})
		}
	}
	return list
}

// FindJobs are the jobs in which each word begins a word; hyphens don't count. If there are
// none, near is the word of a job that looks most like one of them.
func FindJobs(words []string) (list []JobExample, near string) {
	asked := strings.Split(searchText(strings.Join(words, "\n")), "\n")
	var all []string
	for _, j := range Jobs() {
		said := searchText(j.Name + " " + j.Keywords)
		all = append(all, strings.Fields(said)...)
		text := " " + said + " " + searchText(strings.Join([]string{j.Section, j.Result, j.Command}, " "))
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

// searchText is a text in lower case, with a space for what is neither letter, digit nor line end.
func searchText(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || r == '\n' {
			return unicode.ToLower(r)
		}
		return ' '
	}, text)
}

const jobsHead = `Jobs of the trade, each with the command that does it. yoyaku help jobs WORD finds
a job by any word. A name after "demo" is a table, calendar or series of the demo folder
(yoyaku demo, then cd skerry-demo): put your own in its place.
`

// JobsPage is the page of all jobs: each with what its command takes from the demo.
func JobsPage() string {
	var b strings.Builder
	b.WriteString(jobsHead)
	section := ""
	for _, j := range Jobs() {
		if j.Section != section {
			b.WriteString("\n" + j.Section + "\n")
			section = j.Section
		}
		j.write(&b, "")
	}
	return b.String()
}

// JobsText are some jobs, each with what its command gives.
func JobsText(list []JobExample) string {
	var b strings.Builder
	for _, j := range list {
		j.write(&b, "    gives "+j.Result+"\n")
	}
	return b.String()
}

func (j JobExample) write(b *strings.Builder, gives string) {
	from := ""
	if names := demo.Names(j.Command); names != nil {
		from = " (demo: " + strings.Join(names, ", ") + ")"
	}
	b.WriteString("  " + j.Name + from + "\n" + gives + "    " + j.Command + "\n")
}
