package draft

import (
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/plan"
	"yoyaku/internal/tabular"
)

// maxSampledRows is how many rows of a table are looked at.
const maxSampledRows = 1000

// recordNameFrom is a name for the record of a table that is none of those taken.
func recordNameFrom(table string, taken []string) string {
	name := regexp.MustCompile(`[^A-Za-z0-9]+`).ReplaceAllString(strings.TrimSuffix(filepath.Base(table),
		filepath.Ext(table)), "-")
	if name = strings.Trim(name, "-"); plan.CheckName(name) != nil || slices.Contains(taken, name) {
		name = strings.Trim("table-"+name, "-")
	}
	return uniqueName(name, taken)
}

// uniqueName is a name, or with a number behind it, that is none of those taken.
func uniqueName(name string, taken []string) string {
	for n, stem := 2, name; slices.ContainsFunc(taken, func(t string) bool { return phrase.NamesEqual(t, name) }); n++ {
		name = fmt.Sprintf("%s-%d", stem, n)
	}
	return name
}

// newRecord writes a record of a table: its key, and how its cells are read.
func (s NewPlan) newRecord(table string) (_ *planTable, how ask.TableOptions, err error) {
	path := filepath.Join(s.Dir, table)
	if ask.IsCalendarFile(path) { // whose columns are those of `read`
		says := yamlBlock{{key: "table", value: filepath.ToSlash(table), remark: "its events, as `yoyaku read` lists them"}}
		return &planTable{file: table, keys: says, summary: table + ": a calendar file"}, how, nil
	}
	cells, in, err := sampleColumns(path)
	if err != nil {
		return nil, how, err
	}
	told, due := "", ""
	says := yamlBlock{{key: "table", value: filepath.ToSlash(table)}}
	if in.Repairs != nil {
		says = append(says, yamlEntry{key: "repair", value: yamlPlain("yes"), remark: "missing and repeated headings were numbered"})
	}
	if in.HeaderRow > 0 {
		says = append(says, yamlEntry{key: "header-row", value: yamlPlain(strconv.Itoa(in.HeaderRow)), remark: "the line with the column names", gap: 4})
	}
	var dates, forms, words, numbers []string
	for _, c := range cells {
		fit, open, date := c.dates()
		switch {
		case date:
			dates = append(dates, c.name)
			if len(fit) > 0 {
				forms = append(forms, c.name+"="+fit[0])
				dates[len(dates)-1] += " (" + fit[0] + ")"
			}
			if len(fit) > 1 {
				dates[len(dates)-1] = fmt.Sprintf("%s (read as %s, but %s is possible too: if that is right, change read-dates)",
					c.name, fit[0], strings.Join(fit[1:], " or "))
			}
			for _, w := range open {
				if !slices.Contains(words, w) {
					words = append(words, w)
				}
			}
		default:
			if fit := tabular.FittingNumberForms(c.texts); len(fit) > 0 && !c.isPlainNumbers() {
				numbers = append(numbers, c.name+"="+fit[0])
			}
		}
	}
	names := func(c tableColumn) bool { // numbers name rows in the first column alone
		return c.canNameRows() && (c.name == cells[0].name || len(tabular.FittingNumberForms(c.texts)) == 0)
	}
	if i := slices.IndexFunc(cells, names); i >= 0 {
		says = append(says, yamlEntry{key: "key", value: cells[i].name, remark: "identifies each row for good"})
	}
	for _, e := range []yamlEntry{{key: "read-dates", value: forms}, {key: "open-words", value: words}, {key: "read-numbers", value: numbers}} {
		if len(e.value.([]string)) > 0 {
			says = append(says, e)
		}
	}
	if len(dates) > 0 {
		first, _, _ := strings.Cut(dates[len(dates)-1], " (")
		says = append(says, commentLines("Columns to add, each worked out by a phrase:", "columns:",
			"  notice: "+yamlQuote(nameInPhrase(first)+", -90 days, roll preceding")))
		told = fmt.Sprintf("%s: dates in %s", table, strings.Join(dates, ", "))
		name := first // a name that a phrase has in quotes gets another, since shells differ in quotes
		if nameInPhrase(first) != first {
			name = strings.ReplaceAll(strings.Trim(seriesNameFrom(first), "-"), "-", "_")
			due = optionText("rename", []string{name + "=" + first})
		}
		due += " --date " + name
		for _, f := range forms {
			if form, ok := strings.CutPrefix(f, first+"="); ok {
				due += optionText("read-dates", []string{name + "=" + form})
			}
		}
		due += optionText("open-words", words)
		if in.HeaderRow > 0 {
			due += fmt.Sprint(" --header-row ", in.HeaderRow)
		} else if in.Repairs != nil {
			due += " --repair"
		}
	} else {
		told = fmt.Sprintf("%s: no column of dates found", table)
	}
	how.HeaderRow, how.Repair, how.ReadDates, how.BlankWords = max(1, in.HeaderRow), in.Repairs != nil, forms, words
	return &planTable{file: table, keys: says, summary: told, dueOptions: due}, how, nil
}

// optionText is an option with several values as a command line has it, or nothing without any.
func optionText(option string, values []string) (line string) {
	for _, v := range values {
		line += " --" + option + " " + ask.ShellWord(v)
	}
	return line
}

// nameInPhrase is a column's name as a phrase has it, in quotes where it must be.
func nameInPhrase(name string) string {
	if _, err := phrase.ParseExpr(name + ", +1 day"); err == nil && strings.Trim(name, " ") == name &&
		!strings.ContainsAny(name, " ,") {
		return name
	}
	return rows.QuoteName(name)
}
