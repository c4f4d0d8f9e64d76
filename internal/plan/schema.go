package plan

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/question"
)

type object = map[string]any

// Schema returns the JSON Schema (draft 2020-12) of plan or of calendar files,
// made from the declarations of their keys and of the questions' options.
func Schema(of string) ([]byte, error) {
	top, title := planKeys(), "A Yoyaku plan"
	switch of {
	case "plan":
	case "calendar":
		top, title = new(calendarIn).group(), "A Yoyaku working calendar"
	default:
		return nil, fmt.Errorf("expected `plan` or `calendar`, found `%s`", of)
	}
	s := top.properties(needs)
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = title
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	err := enc.Encode(s)
	return b.Bytes(), err
}

// scalar is any one value of YAML.
var scalar = []string{"string", "number", "boolean"}

// needs reports whether a key must be there.
func needs(k Key) bool { return k.Needed || k.option != nil && k.option.Needed }

// properties is the schema of a mapping with these keys, but for some that are left out.
func (g *group) properties(needed func(Key) bool, without ...string) object {
	properties := object{}
	var required []string
	for _, k := range g.keys {
		if slices.Contains(without, k.Name) {
			continue
		}
		if properties[k.Name] = k.schema(); needed(k) {
			required = append(required, k.Name)
		}
	}
	o := object{"type": "object", "properties": properties, "additionalProperties": false}
	if required != nil {
		o["required"] = required
	}
	return o
}

// schema is the schema of the mapping: what it makes decides which keys it has, and words
// of a pattern are beside the key that names it.
func (g *group) schema() object {
	switch {
	case g.made != nil:
		return object{"type": "object", "oneOf": g.ways()}
	case g.beside == "":
		return g.properties(needs)
	}
	always := g.key(g.beside).Needed
	with := g.properties(func(k Key) bool { return k.Name == g.beside || always && k.Needed })
	with["additionalProperties"] = object{"type": scalar}
	if always {
		return with
	}
	return object{"oneOf": []object{g.properties(needs, g.beside), with}}
}

// ways are the schemas of what may be made, the first if nothing is.
func (g *group) ways() []object {
	record := g.find("from") >= 0 // one is made from another; an output says it by `of`
	list := []object{g.properties(needs, "make")}
	for _, q := range question.All() {
		if !q.Record && (record || !q.Alone) {
			continue
		}
		need := needs
		if record { // what is needed of a table isn't of what is made
			need = func(k Key) bool { return k.Name == "from" }
		}
		way := g.made(q).properties(need)
		properties := way["properties"].(object)
		for name := range properties {
			if record { // nor are its defaults
				delete(properties[name].(object), "default")
				delete(properties[name].(object), "minimum")
			}
		}
		properties["make"] = object{"const": q.Name, "description": q.Short}
		way["required"] = append(way["required"].([]string), "make")
		list = append(list, way)
	}
	return list
}

// whole is the schema of the group, or of the text that may be in its place.
func (g *group) whole() object {
	if g.text == "" && !g.orText {
		return g.schema()
	}
	return object{"anyOf": []object{g.schema(), {"type": "string"}}}
}

// list is the schema of a list.
func (g *group) list() object {
	items := object{"type": "array", "items": g.whole()}
	if g.orText {
		return object{"anyOf": []object{items, {"type": "string"}}}
	}
	return items
}

func (n *names) schema() object {
	under := object{"type": scalar}
	if n.of != nil {
		under = n.of().whole()
	}
	if n.help != "" {
		under["description"] = n.help
	}
	return object{"type": "object", "additionalProperties": under}
}

// schema is the schema of what is under the key.
func (k Key) schema() object {
	o := object{}
	switch k.Takes.kind {
	case aMapping:
		switch in := k.Takes.in().(type) {
		case *group:
			o = in.whole()
		case *names:
			o = in.schema()
		}
	case aList:
		o = k.Takes.item().list()
	case textOrList:
		o["anyOf"] = []object{{"type": scalar}, k.Takes.item().list()}
	case listOrTable:
		table := object{"type": "object", "properties": object{"table": object{"type": scalar}},
			"required": []string{"table"}, "additionalProperties": false}
		o["anyOf"] = []object{k.Takes.item().list(), table}
	case someTexts:
		item := object{"type": scalar}
		if k.Takes.oneOf != nil { // several words in one text, with commas, aren't told apart
			item = object{"enum": k.choices()}
		}
		o["anyOf"] = []object{{"type": scalar}, {"type": "array", "items": item}}
	case someLists:
		o["type"] = "array"
		o["items"] = object{"anyOf": []object{{"type": "string"}, {"type": "array", "items": object{"type": scalar}}}}
	case aNumber:
		o["type"] = "integer"
		if k.option != nil {
			o["minimum"] = k.option.Least
		}
	default:
		o["type"] = scalar
	}
	if k.Takes.oneOf != nil && k.Takes.kind != someTexts {
		o["enum"] = k.choices()
		delete(o, "type")
	}
	o["description"] = k.describe()
	if k.option != nil && k.option.Default != "" {
		o["default"] = k.option.Default
	}
	return o
}

// describe is the help as an editor shows it.
func (k Key) describe() string {
	var more []string
	if k.Example != "" {
		more = append(more, "such as "+k.Example)
	}
	if k.Default != "" && k.option == nil {
		more = append(more, "default: "+k.Default)
	}
	if more == nil {
		return k.Help
	}
	return k.Help + " (" + strings.Join(more, "; ") + ")"
}

// choices are the values that a key may have; YAML reads some of them as other
// than texts.
func (k Key) choices() (list []any) {
	for _, c := range k.Takes.oneOf {
		switch c {
		case "yes":
			list = append(list, true, "yes")
		case "no":
			list = append(list, false, "no")
		case "1":
			list = append(list, 1)
		default:
			list = append(list, c)
		}
	}
	return list
}
