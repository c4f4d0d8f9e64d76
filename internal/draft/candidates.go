package draft

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"yoyaku/internal/ask"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
)

// Candidate is a table that a plan could begin with: its file, what is in it and the
// commands that take it further; or why it can't be read.
type Candidate struct {
	Text     string
	Commands []string
	Err      error
}

// Candidates looks through the tables and calendar files of the folder, in the order of
// their names.
func (s NewPlan) Candidates(set plan.Settings) (list []Candidate, err error) {
	if err := s.setDefaults(set); err != nil {
		return nil, err
	}
	found, err := os.ReadDir(s.Dir)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	command := "yoyaku new "
	if _, err := os.Lstat(filepath.Join(s.Dir, plan.FileName)); err == nil {
		command += "next " // the plan that is here isn't written over
	} else if s.Dir != "." {
		command += ask.ShellWord(s.Dir) + " "
	}
	for _, f := range found {
		if f.IsDir() || strings.HasPrefix(f.Name(), ".") || f.Name() == schemaFile || !query.Readable(f.Name()) {
			continue
		}
		path := ask.ShellWord(filepath.Join(s.Dir, f.Name()))
		one := s
		one.Tables, one.givenTables = []string{f.Name()}, []string{filepath.Join(s.Dir, f.Name())}
		list = append(list, one.candidate(command, path))
	}
	return list, err
}

// candidate looks at the table of a plan that is yet to be made, by the command that makes it.
func (s NewPlan) candidate(command, path string) Candidate {
	tables, err := s.readTables()
	doubt, result := (*DoubtError)(nil), (*ResultError)(nil)
	switch {
	case errors.As(err, &doubt):
		return Candidate{Text: doubt.Table + ": " + doubt.Text, Commands: doubt.Commands}
	case errors.As(err, &result):
		return Candidate{Text: result.Error()}
	case err != nil:
		return Candidate{Text: s.Tables[0] + ": can't be read", Err: err}
	}
	t := tables[0]
	c := Candidate{Text: t.summary}
	switch n := len(t.series); {
	case n > 0:
		c.Text += "; " + phrase.Plural(n, "rule") + " found"
		c.Commands = []string{command + "--table " + path}
	case t.dueOptions != "":
		c.Commands = []string{command + "--table " + path, "yoyaku due " + path + t.dueOptions}
	}
	return c
}

// CandidatesText lists the tables that a plan could begin with.
func CandidatesText(list []Candidate) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s here:\n", phrase.Plural(len(list), "table"))
	for _, c := range list {
		b.WriteString("  " + c.Text + "\n")
		if c.Err != nil {
			fmt.Fprintf(&b, "    %v\n", c.Err)
		}
		for _, line := range c.Commands {
			b.WriteString("    " + line + "\n")
		}
	}
	b.WriteString("Repeat --table to put several into one plan. A plan without a table:\n" +
		"    yoyaku new office --series \"pay = monthly on last then roll preceding\"\n")
	return b.String()
}
