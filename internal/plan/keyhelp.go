package plan

import (
	"fmt"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/declare"
	"yoyaku/internal/query"
)

// keyPath is a key with its place in a file: series, NAME, milestones.
type keyPath struct {
	*declare.Key
	path    []string
	query   string    // the command that `make` names, whose option it is; "" where it always is
	aliases []keyPath // the same key in other places
}

// Help is the page on the keys of `plan` or `calendar` files that words name by the end of
// their path: milestones, event summary; without words, on all keys of such a file.
func Help(of string, words ...string) (string, error) {
	top := planKeys()
	if of == "calendar" {
		top = new(calendarReader).group()
	}
	var b strings.Builder
	if len(words) == 0 {
		fmt.Fprintf(&b, "The keys of a %s file. yoyaku help %[1]s KEY explains one of them.\n", of)
		if of == "plan" {
			b.WriteString("A whole plan can be as small as this:\n\n" + smallestPlan)
		}
		top.pages(&b)
		return b.String(), nil
	}
	words = strings.FieldsFunc(strings.Join(words, "."), func(r rune) bool { return r == '.' })
	var found []keyPath
	var known []string
	for _, k := range top.keysIn(nil) {
		known = append(known, k.Name)
		plain := slices.DeleteFunc(slices.Clone(k.path), func(s string) bool { return s == anyName })
		n := len(plain) - len(words)
		if n < 0 || !slices.Equal(plain[n:], words) {
			continue
		}
		same := func(f keyPath) bool { return f.HelpLine() == k.HelpLine() } // a pattern's, and the series' own
		if i := slices.IndexFunc(found, same); i >= 0 {
			found[i].aliases = append(found[i].aliases, k)
		} else {
			found = append(found, k)
		}
	}
	if found == nil {
		hint := "`yoyaku help " + of + "` lists all"
		if near := phrase.Nearest(words[len(words)-1], known); near != "" && near != words[len(words)-1] {
			hint = "did you mean `" + near + "`?"
		}
		return "", fmt.Errorf("a %s file has no key `%s`; %s", of, strings.Join(words, "."), hint)
	}
	for i, k := range found {
		if i > 0 {
			b.WriteString("\n")
		}
		k.page(&b)
	}
	return b.String(), nil
}

// keysIn are all keys of the group and of what is in it.
func (g *keyGroup) keysIn(path []string) (list []keyPath) {
	for _, k := range g.keys {
		at := append(slices.Clone(path), k.Name)
		list = append(list, keyPath{Key: k, path: at})
		if in, names := groupOf(k); in != nil {
			if names != nil {
				at = append(at, anyName)
			}
			list = append(list, in.keysIn(at)...)
		}
	}
	if g.groupFor == nil {
		return list
	}
	for _, q := range query.All() {
		for _, k := range g.groupFor(q).keys {
			if k.IsOption && (q.ForRecords || q.NeedsNoRecord) && g.find(k.Name) < 0 {
				list = append(list, keyPath{Key: k, path: append(slices.Clone(path), k.Name), query: q.Name})
			}
		}
	}
	return list
}

// groupOf is what is under a key, or under each of its names, or in its list; nil for
// none.
func groupOf(k *declare.Key) (g *keyGroup, n *nameMap) {
	if k.Value.Item != nil {
		return k.Value.Item().(*keyGroup), nil
	}
	if k.Value.Mapping == nil {
		return nil, nil
	}
	switch in := k.Value.Mapping().(type) {
	case *keyGroup:
		g = in
	case *nameMap:
		if n = in; in.valueGroup != nil {
			g = in.valueGroup()
		}
	}
	return g, n
}

// page tells all of a key.
func (k keyPath) page(b *strings.Builder) {
	for _, at := range append([]keyPath{k}, k.aliases...) {
		with := ""
		if at.query != "" {
			with = " (with `make: " + at.query + "`)"
		}
		fmt.Fprintf(b, "%s%s%s\n", strings.Join(at.path, "."), with, mustBe(at.Key))
	}
	help := k.HelpLine()
	for _, about := range []string{strings.ToUpper(help[:1]) + help[1:] + ".", k.Details} {
		about = strings.Join(strings.Fields(about), " ")
		for line := range strings.Lines(text.WrapSoft(about, pageWidth-2)) {
			b.WriteString("  " + strings.TrimSpace(line) + "\n")
		}
	}
	fmt.Fprintf(b, "  Takes %s.\n", k.Value.Description)
	if k.Value.Choices != nil && k.Value.Choices[0] != "yes" {
		fmt.Fprintf(b, "  One of %s.\n", strings.Join(k.Value.Choices, ", "))
	}
	if k.Default != "" {
		fmt.Fprintf(b, "  Default: %s.\n", k.Default)
	}
	if k.Example != "" && !k.IsOption {
		fmt.Fprintf(b, "  Example: %s: %s\n", k.Name, k.Example)
	}
	if k.Merge {
		b.WriteString("  A series' own entries replace its pattern's, name by name.\n")
	}
	g, n := groupOf(k.Key)
	if n != nil {
		fmt.Fprintf(b, "  Under each name: %s", n.help)
		if g != nil && g.textKey != "" {
			fmt.Fprintf(b, " (which is its `%s`), or keys", g.textKey)
		}
		b.WriteString("\n")
	}
	if g != nil {
		fmt.Fprintf(b, "\nKeys of %s:\n", g.label)
		g.page(b)
	}
}

// mustBe says so of a key that must be there.
func mustBe(k *declare.Key) string {
	if isRequired(k) {
		return " (required)"
	}
	return ""
}

// smallestPlan is a whole plan.
const smallestPlan = `  plan: 1
  id: crew-office
  window: 2027
  series:
    pay: {rule: "monthly on 15, last then roll preceding"}
  outputs:
    - {file: pay.csv, of: pay}
`

// keyWidth is how wide the names of keys are in a list, pageWidth how wide that is.
const keyWidth, pageWidth = 16, 80

// pages lists all keys: those of a plan part by part, each part with the keys inside it.
func (g *keyGroup) pages(b *strings.Builder) {
	parts := planSections
	if g.keys[0].Section == "" {
		parts = []string{""}
	}
	for _, part := range parts {
		own := &keyGroup{label: part, keys: slices.DeleteFunc(slices.Clone(g.keys), func(k *declare.Key) bool { return k.Section != part })}
		if part != "" {
			fmt.Fprintf(b, "\n%s\n", part)
		} else {
			b.WriteString("\n")
		}
		own.page(b)
		for _, in := range own.subgroups(nil) {
			fmt.Fprintf(b, "\n  Keys of %s (%s):\n", in.label, strings.Join(in.path, "."))
			in.page(b)
		}
	}
}

// groupAt is a group with its place in a file.
type groupAt struct {
	*keyGroup
	path []string
}

// subgroups are the groups that are under the keys of the group, each once.
func (g *keyGroup) subgroups(path []string) (list []groupAt) {
	for _, k := range g.keys {
		in, names := groupOf(k)
		if in == nil {
			continue
		}
		if k.Name == "patterns" {
			in = &keyGroup{label: "a pattern, besides those of a series", keys: in.keys[:1]}
		}
		at := append(slices.Clone(path), k.Name)
		if names != nil {
			at = append(at, anyName)
		}
		list = append(append(list, groupAt{in, at}), in.subgroups(at)...)
	}
	seen := map[string]bool{}
	return slices.DeleteFunc(list, func(in groupAt) bool {
		again := seen[in.label]
		seen[in.label] = true
		return again
	})
}

// page lists the keys. The options of tables and commands are named in one line: their help is
// that of the commands.
func (g *keyGroup) page(b *strings.Builder) {
	line := func(name, help string) {
		for line := range strings.Lines(text.WrapSoft(strings.Join(strings.Fields(help), " "), pageWidth-keyWidth-4)) {
			fmt.Fprintf(b, "  %-*s  %s\n", keyWidth, name, strings.TrimRight(line, " \n"))
			name = ""
		}
	}
	var options []string
	for _, k := range g.keys {
		if k.IsOption {
			options = append(options, k.Name)
			continue
		}
		line(k.Name, describe(k)+mustBe(k))
	}
	if options != nil {
		line("and options", "of commands: "+strings.Join(options, ", "))
	}
	if g.groupFor != nil {
		line("with `make`", "the options of that command, by their names: yoyaku COMMAND --help")
	}
}
