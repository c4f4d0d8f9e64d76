package demo

import (
	"io/fs"
	"regexp"
	"slices"
	"strings"
	"sync"
)

// kindBySection are what the sections of the demo's plan hold, each in a word.
var kindBySection = map[string]string{"calendars": "calendar", "patterns": "pattern", "series": "series", "records": "record", "people": "person"}

// names are the files of the demo, what its plan writes and what its plan names, each with
// what it is.
var names = sync.OnceValue(func() map[string]string {
	found := map[string]string{}
	list, _ := fs.ReadDir(Files, "files") // it is embedded
	for _, f := range list {
		if !f.IsDir() && f.Name() != "yoyaku.yaml" {
			found[f.Name()] = "file"
		}
	}
	text, _ := fs.ReadFile(Files, "files/yoyaku.yaml")
	section := ""
	for _, m := range regexp.MustCompile(`(?m)^([a-z-]+):|^  ([a-z-]+):|\bfile: "?([^,}"]+)`).FindAllSubmatch(text, -1) {
		switch {
		case m[1] != nil:
			section = string(m[1])
		case m[2] != nil && kindBySection[section] != "":
			found[string(m[2])] = kindBySection[section]
		case m[3] != nil && section == "outputs":
			found[string(m[3])] = "file"
		}
	}
	return found
})

// namePattern is one that may be a name or a file of the demo.
var namePattern = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`[a-z0-9_-]+(\.[a-z]+)?`) })

// Kind says what a name is in the demo: a file, or a calendar, series, pattern or record of
// its plan; blank if it is nothing there.
func Kind(name string) string { return names()[name] }

// Names are the files and names in a command line that only the demo folder has, as they
// are in it.
func Names(line string) (list []string) {
	for _, w := range namePattern().FindAllString(line, -1) {
		if Kind(w) != "" && !slices.Contains(list, w) {
			list = append(list, w)
		}
	}
	return list
}

// Examples puts the examples of a command that work in any folder first, and those that
// need the demo's under a line that says so.
func Examples(text string) string {
	var anywhere, here []string
	for _, one := range strings.Split(strings.ReplaceAll(text, "\\\n", "\\\v"), "\n") {
		if Names(one) != nil {
			here = append(here, strings.ReplaceAll(one, "\v", "\n"))
		} else {
			anywhere = append(anywhere, strings.ReplaceAll(one, "\v", "\n"))
		}
	}
	if here != nil {
		if anywhere != nil {
			anywhere = append(anywhere, "")
		}
		anywhere = append(append(anywhere, "  In the demo folder (yoyaku demo, then cd skerry-demo):"), here...)
	}
	return strings.Join(anywhere, "\n")
}

// missingPattern is what an error says of a name that isn't there.
var missingPattern = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile("unknown (?:series|calendar) `([^`]+)`|([a-z-]+\\.[a-z]+): no such file")
})

// Hint is the line that an error gets if the name it misses is one of the demo's; else
// blank.
func Hint(text string) string {
	if m := missingPattern().FindStringSubmatch(text); m != nil {
		if kind := Kind(m[1] + m[2]); kind != "" {
			return "  `" + m[1] + m[2] + "` is a " + kind + " of the demo: run `yoyaku demo`, then `cd skerry-demo`\n"
		}
	}
	return ""
}
