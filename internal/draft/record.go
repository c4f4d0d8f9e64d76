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
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/tabular"
)

// maxSampledRows is how many rows of a table are looked at.
const maxSampledRows = 1000

// recordNameFrom is a name for the record of a table that is none of those taken.
func recordNameFrom(table string, taken []string) string {
	name := regexp.MustCompile(`[^A-Za-z0-9]+`).ReplaceAllString(strings.TrimSuffix(filepath.Base(table),
		filepath.Ext(table)), "-")
	if name = strings.Trim(name, "-"); schedule.CheckName(name) != nil || slices.Contains(taken, name) {
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
	says := yamlBlock{{key: "table", value: filepath.ToSlash(table)}}
	if in.Repairs != nil {
		says = append(says, yamlEntry{key: "repair", value: yamlPlain("yes"), remark: "missing and repeated headings were numbered"})
	}
	if in.HeaderRow > 0 {
		says = append(says, yamlEntry{key: "header-row", value: yamlPlain(strconv.Itoa(in.HeaderRow)), remark: "the line with the column names", gap: 4})
	}
	names := func(c tableColumn) bool { // numbers name rows in the first column alone
		return c.canNameRows() && (c.name == cells[0].name || len(tabular.FittingNumberForms(c.texts)) == 0)
	}
	if i := slices.IndexFunc(cells, names); i >= 0 {
		says = append(says, yamlEntry{key: "key", value: cells[i].name, remark: "identifies each row for good"})
	}
	found := lookAtColumns(cells)
	for _, e := range []yamlEntry{{key: "read-dates", value: found.forms}, {key: "open-words", value: found.openWords},
		{key: "read-numbers", value: found.numberForms}} {
		if len(e.value.([]string)) > 0 {
			says = append(says, e)
		}
	}
	told, due := fmt.Sprintf("%s: no column of dates found", table), ""
	if n := len(found.dates); n > 0 {
		says = append(says, commentLines("Columns to add, each worked out by a phrase:", "columns:",
			"  notice: "+yamlQuote(nameInPhrase(found.dates[n-1])+", -90 days, roll preceding")))
		told = fmt.Sprintf("%s: dates in %s", table, strings.Join(found.dateTexts, ", "))
		due = found.dueOptions(found.dates[n-1], in)
	}
	how.HeaderRow, how.Repair, how.ReadDates, how.BlankWords = max(1, in.HeaderRow), in.Repairs != nil, found.forms, found.openWords
	return &planTable{file: table, keys: says, summary: told, dueOptions: due}, how, nil
}

// columnForms is how the columns of a table have to be read.
type columnForms struct {
	dates, dateTexts   []string // the columns of dates; each with its form, and with what is in doubt
	forms, numberForms []string // COL=FORM
	openWords          []string
}

func lookAtColumns(cells []tableColumn) (f columnForms) {
	for _, c := range cells {
		fit, open, isDate := c.dates()
		if !isDate {
			if fit := tabular.FittingNumberForms(c.texts); len(fit) > 0 && !c.isPlainNumbers() {
				f.numberForms = append(f.numberForms, c.name+"="+fit[0])
			}
			continue
		}
		text := c.name
		if len(fit) > 0 {
			f.forms = append(f.forms, c.name+"="+fit[0])
			text += " (" + fit[0] + ")"
		}
		if len(fit) > 1 {
			text = fmt.Sprintf("%s (read as %s, but %s is possible too: if that is right, change read-dates)",
				c.name, fit[0], strings.Join(fit[1:], " or "))
		}
		f.dates, f.dateTexts = append(f.dates, c.name), append(f.dateTexts, text)
		for _, w := range open {
			if !slices.Contains(f.openWords, w) {
				f.openWords = append(f.openWords, w)
			}
		}
	}
	return f
}

// dueOptions are those with which `due` watches a column of dates.
func (f columnForms) dueOptions(column string, in tabular.Options) (options string) {
	name := column // a name that a phrase has in quotes gets another, since shells differ in quotes
	if nameInPhrase(column) != column {
		name = strings.ReplaceAll(strings.Trim(seriesNameFrom(column), "-"), "-", "_")
		options = optionText("rename", []string{name + "=" + column})
	}
	options += " --date " + name
	for _, text := range f.forms {
		if form, ok := strings.CutPrefix(text, column+"="); ok {
			options += optionText("read-dates", []string{name + "=" + form})
		}
	}
	options += optionText("open-words", f.openWords)
	if in.HeaderRow > 0 {
		return options + fmt.Sprint(" --header-row ", in.HeaderRow)
	} else if in.Repairs != nil {
		return options + " --repair"
	}
	return options
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
