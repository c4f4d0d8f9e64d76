package plan

import (
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yoyaku/demo"
	"yoyaku/internal/files"
	"yoyaku/internal/golden"
)

// TestKeyHelp_holdsDemo asks for the help of each key of the demo's plan, and of all of them.
func TestKeyHelp_holdsDemo(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "demo")
	if _, err := demo.Write(dir); err != nil {
		t.Fatal(err)
	}
	d, err := readDoc(filepath.Join(dir, FileName), &files.Registry{})
	if err != nil {
		t.Fatal(err)
	}
	whole, err := Help("plan")
	if err != nil {
		t.Fatal(err)
	}
	for _, part := range planSections {
		whole = strings.Replace(whole, "\n"+part+"\n", "\n", 1)
	}
	n := 0
	var walk func(g *keyGroup, v *node)
	walk = func(g *keyGroup, v *node) {
		if list, err := v.items(""); err == nil {
			for _, item := range list {
				walk(g, item)
			}
			return
		}
		parts, err := v.splitMapping("", anything)
		if err != nil {
			return // a value without keys
		}
		if q, _ := v.madeQuery(); q != nil && g.groupFor != nil {
			g = g.groupFor(q)
		}
		for _, p := range parts {
			i := g.find(p.name)
			if i < 0 {
				continue // a word of a pattern
			}
			n++
			page, err := Help("plan", p.name)
			if k := g.keys[i]; err != nil || !strings.Contains(strings.ReplaceAll(page, "\n", " "), k.HelpLine()[1:min(20, len(k.HelpLine()))]) {
				t.Errorf("help plan %s: %v %s", p.name, err, page)
			} else if !k.IsOption && !strings.Contains(whole, "\n  "+p.name+" ") {
				t.Errorf("help plan lacks %s", p.name)
			}
			in, names := groupOf(g.keys[i])
			if in == nil {
				continue
			}
			list := []*node{p}
			if under, err := p.splitMapping("", anything); names != nil && err == nil {
				list = under
			}
			for _, under := range list {
				walk(in, under)
			}
		}
	}
	walk(planKeys(), rootNode(d, "", d.root))
	if n < 100 {
		t.Errorf("only %d keys", n)
	}
}

// anything lets every key pass.
func anything[K any](string, K, bool) error { return nil }

// structure is a schema without what it says to people.
func structure(v any) any {
	switch v := v.(type) {
	case map[string]any:
		delete(v, "title")
		if _, text := v["description"].(string); text {
			delete(v, "description")
		}
		for k := range v {
			v[k] = structure(v[k])
		}
	case []any:
		for i := range v {
			v[i] = structure(v[i])
		}
	}
	return v
}

// TestSchemaStructure holds the structure of the schemas to what it was: what files may say
// changes on purpose alone.
func TestSchemaStructure(t *testing.T) {
	for _, of := range []string{"plan", "calendar"} {
		data, err := Schema(of)
		if err != nil {
			t.Fatal(err)
		}
		var v any
		if err := json.Unmarshal(data, &v); err != nil {
			t.Fatal(err)
		}
		got, err := json.MarshalIndent(structure(v), "", " ")
		if err != nil {
			t.Fatal(err)
		}
		golden.Compare(t, "testdata/"+of+".json", string(got)+"\n")
	}
}

// keyFiles are the files that examples name.
var keyFiles = map[string]string{
	"crew.csv":             "contract,site,person,ends\nC-1,isles,Ada,2027-05-01\n",
	"sites.csv":            "site,unit\nisles,Ferries\n",
	"pay-groups.csv":       "code,lead\nferrymen,4\n",
	"close-tasks.csv":      "task,due,owner,title\nbank-rec,\"date, +1 working day\",di,Bank\n",
	"shared/more.yaml":     "people: {ed: {name: Ed Tern}}\n",
	"holidays/extra.csv":   "date,name\n2027-03-04,Extra\n",
	"holidays/closed.ics":  "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:a\r\nDTSTAMP:20270101T000000Z\r\nDTSTART;VALUE=DATE:20270304\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
	"holidays/by-date.csv": "date,name\n4.3.2027,Extra\n",
}

// keyBase is a plan that has what examples name; keys of the same name take its lines' place.
var keyBase = []string{"plan: 1", "id: office", "window: 2027..2028", "calendar: isles",
	"calendars:\n  isles: {closed: \"sat, sun\"}\n  bank: {closed: sun}\n  yard: {closed: sun}", "people: {di: {name: Di}}",
	"patterns:\n  monthly-pay: {takes: {lead: 5}, rule: monthly on 28, milestones: {cut: \"date, -lead days\"}}",
	"series:\n  crew-pay: {rule: \"monthly on 15, last then roll preceding\", milestones: {timesheets: \"date, -5 days\", bank-file: \"date, -2 days\"}}\n  fuel-duty: {rule: quarterly on last}",
	"records:\n  crew-contracts: {table: crew.csv, key: contract, events: [{name: ends, day: ends}]}"}

// keyPlaces are where the keys of a group stand: what is before them, and the keys that
// they need beside them.
var keyPlaces = map[string]struct{ before, beside string }{
	"organizer": {"organizer:\n", "mail: a@b.example"}, "calendars.NAME": {"calendars:\n  isles:\n", ""}, "people.NAME": {"people:\n  di:\n", ""},
	"calendars.NAME.holidays": {"calendars:\n  isles:\n    holidays:\n      -\n", "name: x|day: 2027-03-04"},
	"calendars.NAME.short":    {"calendars:\n  isles:\n    short:\n      -\n", "name: x|day: 2027-03-04"},
	"series.NAME":             {"series:\n  x:\n", "rule: monthly on 15"}, "series.NAME.period": {"series:\n  x:\n    rule: monthly on 15\n    period:\n", ""},
	"series.NAME.milestones.NAME": {"series:\n  x:\n    rule: monthly on 15\n    milestones:\n      cut:\n", "date: date, -1 day"},
	"series.NAME.milestones-from": {"series:\n  x:\n    rule: monthly on 15\n    milestones-from:\n", "table: close-tasks.csv|name: task|date: due"},
	"series.NAME.event":           {"series:\n  x:\n    rule: monthly on 15\n    event:\n", ""},
	"series.NAME.expect":          {"series:\n  x:\n    rule: monthly on 15\n    milestones: {bank-file: \"date, -1 day\"}\n    expect:\n", ""},
	"series.NAME.rule":            {"series:\n  x:\n    rule:\n      -\n", "is: monthly on last"},
	"series.NAME.rule.expect":     {"series:\n  x:\n    milestones: {bank-file: \"date, -1 day\"}\n    rule:\n      -\n        is: monthly on last\n        expect:\n", ""},
	"series.NAME.instead":         {"series:\n  x:\n    rule: monthly on last\n    milestones: {bank-file: \"date, -1 day\"}\n    instead:\n      -\n", "id: 2028-12/last|date: 2028-12-20|why: y"},
	"instead":                     {"instead:\n  -\n", "series: crew-pay|id: 2028-12/last|date: 2028-12-20|why: y"},
	"series-from":                 {"series-from:\n  -\n", "table: pay-groups.csv|like: monthly-pay|name: code"},
	"records.NAME":                {"records:\n  x:\n", "table: crew.csv"}, "records.NAME.expect": {"records:\n  x:\n    table: crew.csv\n    expect:\n", ""},
	"records.NAME.events": {"records:\n  x:\n    table: crew.csv\n    key: contract\n    events:\n      -\n", "name: n|day: ends"},
	"records.NAME.match":  {"records:\n  x:\n    table: crew.csv\n    match:\n      -\n", "table: sites.csv|key: site|take: [unit]"},
	"outputs":             {"outputs:\n  -\n", "file: x.csv|of: crew-pay"}, "publish": {"publish:\n", ""}, "expect": {"expect:\n", ""},
}

// TestKeyExamples reads a plan with the example of each key in its place, and asks for the
// help of each.
func TestKeyExamples(t *testing.T) {
	dir := t.TempDir()
	for name, text := range keyFiles {
		path := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	// Beside these examples something else must stand, or something can't.
	with := map[string]string{
		"calendars.NAME.holidays.file": "file: holidays/extra.csv", "calendars.NAME.holidays.calendar": "calendar: yard",
		"calendars.NAME.holidays.read-dates": "file: holidays/by-date.csv|read-dates: dmy", "calendars.NAME.holidays.where": "file: holidays/closed.ics|where: categories = 'closed'",
		"calendars.NAME.short.file": "file: holidays/extra.csv", "calendars.NAME.short.calendar": "calendar: yard",
		"calendars.NAME.short.read-dates": "file: holidays/by-date.csv|read-dates: dmy", "calendars.NAME.short.where": "file: holidays/closed.ics|where: categories = 'closed'",
		"records.NAME.from": "from: crew-pay", "records.NAME.make": "from: crew-contracts|make: spread|start: ends|end: ends",
		"outputs.make": "file: x.csv|of: crew-contracts|make: due|date: ends", "outputs.window": "file: x.csv|make: days|window: 2027", "outputs.per": "file: \"x-{owner}.csv\"|of: crew-pay|per: owner",
		"records.NAME.per": "table: crew.csv|carry: {n: \"1; prior + 1\"}|per: account",
		"fiscal-pattern":   "fiscal-end: last sat of jan|fiscal-pattern: 4-5-4",
		"series.NAME.like": "like: monthly-pay",
	}
	n := 0
	for _, k := range planKeys().keysIn(nil) {
		if k.Example == "" || k.IsOption || k.path[0] == "patterns" {
			continue
		}
		n++
		path := strings.Join(k.path, ".")
		at := strings.Join(k.path[:len(k.path)-1], ".")
		place, known := keyPlaces[at]
		if !known && at != "" {
			t.Errorf("%s: no place for the keys of %s", path, at)
			continue
		}
		lines := slices.DeleteFunc(strings.Split(place.beside, "|"), func(s string) bool { return s == "" || strings.HasPrefix(s, k.Name+":") })
		example := k.Name + ": " + k.Example
		if !strings.ContainsAny(k.Example[:1], "[\"{'") && strings.ContainsAny(k.Example, ":#,") {
			example = k.Name + ": \"" + k.Example + "\""
		}
		lines = append(lines, example)
		if said := with[path]; said != "" {
			if lines = strings.Split(said, "|"); !slices.Contains(lines, example) {
				t.Errorf("%s: the example isn't among %q", path, lines)
			}
		}
		last := strings.TrimSuffix(place.before, "\n")
		last = last[strings.LastIndexByte(last, '\n')+1:]
		pad := strings.Repeat(" ", len(last)-len(strings.TrimLeft(last, " "))+2)
		if at == "" {
			pad = ""
		}
		text := place.before
		for _, line := range lines {
			text += pad + line + "\n"
		}
		keys := map[string]bool{}
		for _, line := range strings.Split(text, "\n") {
			if key, _, ok := strings.Cut(line, ":"); ok && !strings.HasPrefix(line, " ") {
				keys[key] = true
			}
		}
		plan := ""
		for _, line := range keyBase {
			switch key, _, _ := strings.Cut(line, ":"); {
			case !keys[key]:
				plan += line + "\n"
			case key == "series" || key == "records" || key == "calendars" || key == "people": // others are there too
				rest := strings.TrimPrefix(line, key+":")
				if key == "people" || key == "calendars" && strings.Contains(text, "\n  isles:") {
					rest = "\n  bank: {closed: sun}\n  yard: {closed: sun}"
				}
				if key == "people" {
					rest = ""
				}
				text = strings.Replace(text, key+":\n", key+":"+rest+"\n", 1)
			}
		}
		file := filepath.Join(dir, FileName)
		if err := os.WriteFile(file, []byte(plan+text), 0o644); err != nil {
			t.Fatal(err)
		}
		if _, err := Load(file, Settings{AsOf: 740000}); err != nil {
			t.Errorf("%s: %v in\n%s", path, err, plan+text)
		}
		plain := slices.DeleteFunc(slices.Clone(k.path), func(s string) bool { return s == anyName })
		page, err := Help("plan", plain...)
		if err != nil || !strings.Contains(page, k.Example) {
			t.Errorf("help plan %v: %v %s", plain, err, page)
		}
	}
	if n < 70 {
		t.Errorf("only %d examples", n)
	}
	for _, words := range [][]string{{"milestons"}, {"event", "remimd"}} {
		if page, err := Help("plan", words...); err == nil || !strings.Contains(err.Error(), "did you mean `") {
			t.Errorf("help plan %v: %v %s", words, err, page)
		}
	}
	file := filepath.Join(dir, "smallest.yaml")
	if err := os.WriteFile(file, []byte(smallestPlan), 0o644); err != nil {
		t.Fatal(err)
	}
	if p, err := Load(file, Settings{AsOf: 740000}); err != nil || len(p.Series) != 1 || len(p.Outputs) != 1 {
		t.Errorf("the smallest plan: %v", err)
	}
	if page, err := Help("calendar", "closed"); err != nil || !strings.Contains(page, "Takes weekdays") {
		t.Errorf("help calendar closed: %v %s", err, page)
	}
}
