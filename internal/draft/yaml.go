package draft

import (
	"cmp"
	"fmt"
	"regexp"
	"strings"
	"unicode"

	"github.com/goccy/go-yaml"
)

// What a plan says is put together as values and written at the end. The library writes the
// texts; it has no blank lines, no remarks apart from what they remark on, and one-line
// mappings only everywhere, so the lines are made here.
type (
	// yamlBlock is a mapping with a line for each key, flow one on a single line.
	yamlBlock []yamlEntry
	yamlFlow  []yamlEntry
	// yamlList is a list with a line for each item, whose keys are left out.
	yamlList []yamlEntry
	// yamlPlain is a text that is YAML as it stands: a number, a date, a range.
	yamlPlain string
)

// yamlEntry is what is under a key, with a remark for people behind it. One without a key or a
// value is nothing but remarks.
type yamlEntry struct {
	key    string
	value  any // a text, a plain, []string, flow, block or list
	remark string
	gap    int // blanks before the remark; 0: remarkGap
}

// remarkGap is how many blanks part a value from its remark.
const remarkGap = 6

// commentLines are lines for people.
func commentLines(lines ...string) yamlEntry { return yamlEntry{remark: strings.Join(lines, "\n")} }

// String writes the mapping. What has lines below it at the top stands behind a blank line.
func (b yamlBlock) String() string { return string(b.appendLines(nil, "")) }

func (b yamlBlock) appendLines(to []byte, indent string) []byte {
	for _, e := range b {
		if e.value == nil {
			for line := range strings.Lines(e.remark) {
				to = fmt.Appendf(to, "%s# %s\n", indent, strings.TrimSuffix(line, "\n"))
			}
			continue
		}
		switch e.value.(type) {
		case yamlBlock, yamlList:
			if indent == "" {
				to = append(to, '\n')
			}
		}
		to = e.appendLines(fmt.Appendf(to, "%s%s:", indent, yamlQuote(e.key)), indent)
	}
	return to
}

// appendLines writes what is said behind a key or a dash.
func (e yamlEntry) appendLines(to []byte, indent string) []byte {
	if text := inlineText(e.value); text != "" {
		to = append(append(to, ' '), text...)
	}
	if e.remark != "" {
		to = fmt.Appendf(to, "%*s# %s", cmp.Or(e.gap, remarkGap), "", e.remark)
	}
	to = append(to, '\n')
	switch says := e.value.(type) {
	case yamlBlock:
		to = says.appendLines(to, indent+"  ")
	case yamlList:
		for _, item := range says {
			to = item.appendLines(fmt.Appendf(to, "%s  -", indent), indent+"  ")
		}
	}
	return to
}

// inlineText is a value as it stands on its key's line; "" for what stands below it.
func inlineText(says any) string {
	switch says := says.(type) {
	case string:
		return yamlQuote(says)
	case yamlPlain:
		return string(says)
	case []string:
		var texts []string
		for _, s := range says {
			texts = append(texts, yamlQuote(s))
		}
		return "[" + strings.Join(texts, ", ") + "]"
	case yamlFlow:
		var pairs []string
		for _, e := range says {
			pairs = append(pairs, yamlQuote(e.key)+": "+inlineText(e.value))
		}
		return "{" + strings.Join(pairs, ", ") + "}"
	}
	return ""
}

// otherMeaning are texts that mean something else to a reader of YAML 1.1 or 1.2: words for yes, no
// and nothing, numbers and times of any form, and what begins with a sign of the language.
var otherMeaning = regexp.MustCompile(`^(?i:(?:y|n|yes|no|on|off|true|false|null|~|)|[-+.]?[0-9][0-9a-fox_.,:+-]*|[=<:~?!&*|>%@-].*|\.(?:inf|nan))$`)

// yamlQuote writes a text as YAML takes it anywhere on a line: plain, or in quotes.
func yamlQuote(s string) string {
	text, err := yaml.Marshal(s)
	if err == nil && string(text) == s+"\n" && !strings.ContainsAny(s, ",[]{}#") && !otherMeaning.MatchString(s) &&
		!strings.ContainsFunc(s, func(r rune) bool { return !unicode.IsPrint(r) }) {
		return s
	}
	text, err = yaml.MarshalWithOptions(s, yaml.JSON())
	if err != nil { // a text is always written
		return fmt.Sprintf("%q", s)
	}
	return strings.TrimSuffix(string(text), "\n")
}
