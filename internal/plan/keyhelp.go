package plan

import (
	"fmt"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"yoyaku/internal/core/phrase"
)

// keyAt is a key with its place in a file: series, NAME, milestones.
type keyAt struct {
	Key
	path []string
	also []keyAt // the same key in other places
}

// Help is the page on the keys of `plan` or `calendar` files that words name by the end of
// their path: milestones, event summary; without words, on all keys of such a file.
func Help(of string, words ...string) (string, error) {
	top := planKeys()
	if of == "calendar" {
		top = new(calendarIn).group()
	}
	var b strings.Builder
	if len(words) == 0 {
		fmt.Fprintf(&b, "Keys of a %s file. yoyaku help %[1]s KEY tells all of one.\n\n", of)
		top.page(&b)
		return b.String(), nil
	}
	words = strings.FieldsFunc(strings.Join(words, "."), func(r rune) bool { return r == '.' })
	var found []keyAt
	var known []string
	for _, k := range top.keysIn(nil) {
		known = append(known, k.Name)
		plain := slices.DeleteFunc(slices.Clone(k.path), func(s string) bool { return s == free })
		n := len(plain) - len(words)
		if n < 0 || !slices.Equal(plain[n:], words) {
			continue
		}
		if last := len(found) - 1; last >= 0 && found[last].Help == k.Help { // a pattern's, and the series' own
			found[last].also = append(found[last].also, k)
		} else {
			found = append(found, k)
		}
	}
	if found == nil {
		hint := "`yoyaku help " + of + "` lists all"
		if near := phrase.Nearest(words[len(words)-1], known); near != "" && near != words[len(words)-1] {
			hint = "did you mean `" + near + "`?"
		}
		return "", fmt.Errorf("no key of a %s is called `%s`; %s", of, strings.Join(words, "."), hint)
	}
	for i, k := range found {
		if i > 0 {
			b.WriteString("\n")
		}
		k.page(&b)
	}
	return b.String(), nil
}

// keysIn are all keys of the group and of what stands in it.
func (g *group) keysIn(path []string) (list []keyAt) {
	for _, k := range g.keys {
		at := append(slices.Clone(path), k.Name)
		list = append(list, keyAt{Key: k, path: at})
		if in, names := k.group(); in != nil {
			if names != nil {
				at = append(at, free)
			}
			list = append(list, in.keysIn(at)...)
		}
	}
	return list
}

// group is what stands under the key, or under each of its names, or in its list; nil for
// none.
func (k *Key) group() (g *group, n *names) {
	if k.Takes.item != nil {
		return k.Takes.item(), nil
	}
	if k.Takes.in == nil {
		return nil, nil
	}
	switch in := k.Takes.in().(type) {
	case *group:
		g = in
	case *names:
		if n = in; in.of != nil {
			g = in.of()
		}
	}
	return g, n
}

// page tells all of a key.
func (k keyAt) page(b *strings.Builder) {
	for _, at := range append([]keyAt{k}, k.also...) {
		fmt.Fprintf(b, "%s%s\n", strings.Join(at.path, "."), at.mustBe())
	}
	fmt.Fprintf(b, "  %s.\n  Takes %s.\n", strings.ToUpper(k.Help[:1])+k.Help[1:], k.Takes.words)
	if k.Takes.oneOf != nil && k.Takes.oneOf[0] != "yes" {
		fmt.Fprintf(b, "  One of %s.\n", strings.Join(k.Takes.oneOf, ", "))
	}
	if k.Default != "" {
		fmt.Fprintf(b, "  Without it: %s.\n", k.Default)
	}
	if k.Example != "" {
		fmt.Fprintf(b, "  For example:  %s: %s\n", k.Name, k.Example)
	}
	if k.Merge {
		b.WriteString("  A series' own goes over its pattern's, name by name.\n")
	}
	g, n := k.group()
	if n != nil {
		fmt.Fprintf(b, "  Under each name:  %s", n.help)
		if g != nil && g.text != "" {
			fmt.Fprintf(b, ", which is its `%s` alone, or keys", g.text)
		}
		b.WriteString("\n")
	}
	if g != nil {
		fmt.Fprintf(b, "\nKeys of %s:\n", g.what)
		g.page(b)
	}
}

// mustBe says so of a key that must be there.
func (k Key) mustBe() string {
	if needs(k) {
		return " (needed)"
	}
	return ""
}

// keyWidth is how wide the names of keys stand in a list, pageWidth how wide that is.
const keyWidth, pageWidth = 16, 80

// page lists the keys.
func (g *group) page(b *strings.Builder) {
	for _, k := range g.keys {
		help := text.WrapSoft(strings.Join(strings.Fields(k.describe()+k.mustBe()), " "), pageWidth-keyWidth-4)
		name := k.Name
		for line := range strings.Lines(help) {
			fmt.Fprintf(b, "  %-*s  %s\n", keyWidth, name, strings.TrimRight(line, " \n"))
			name = ""
		}
	}
}
