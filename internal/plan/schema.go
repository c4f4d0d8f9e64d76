package plan

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/declare"
	"yoyaku/internal/query"
)

type object = map[string]any

// Schema returns the JSON Schema (draft 2020-12) of plan or of calendar files,
// made from the declarations of their keys and of the queries' options.
func Schema(of string) ([]byte, error) {
	top, title := planKeys(), "A Yoyaku plan"
	switch of {
	case "plan":
	case "calendar":
		top, title = new(calendarReader).group(), "A Yoyaku working calendar"
	default:
		return nil, fmt.Errorf("expected `plan` or `calendar`, found `%s`", of)
	}
	s := top.properties(isRequired)
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

// isRequired reports whether a key must be there.
func isRequired(k *declare.Key) bool { return k.Required }

// properties is the schema of a mapping with these keys, but for some that are left out.
func (g *keyGroup) properties(needed func(*declare.Key) bool, without ...string) object {
	properties := object{}
	var required []string
	for _, k := range g.keys {
		if slices.Contains(without, k.Name) {
			continue
		}
		if properties[k.Name] = schemaOf(k); needed(k) {
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
func (g *keyGroup) schema() object {
	switch {
	case g.groupFor != nil:
		return object{"type": "object", "oneOf": g.variantSchemas()}
	case g.argsKey == "":
		return g.properties(isRequired)
	}
	always := g.key(g.argsKey).Required
	with := g.properties(func(k *declare.Key) bool { return k.Name == g.argsKey || always && k.Required })
	with["additionalProperties"] = object{"type": scalar}
	if always {
		return with
	}
	return object{"oneOf": []object{g.properties(isRequired, g.argsKey), with}}
}

// variantSchemas are the schemas of what may be made, the first if nothing is.
func (g *keyGroup) variantSchemas() []object {
	record := g.find("from") >= 0 // one is made from another; an output says it by `of`
	list := []object{g.properties(isRequired, "make")}
	for _, q := range query.All() {
		if !q.ForRecords && (record || !q.NeedsNoRecord) {
			continue
		}
		need := isRequired
		if record { // what is needed of a table isn't of what is made
			need = func(k *declare.Key) bool { return k.Name == "from" }
		}
		way := g.groupFor(q).properties(need)
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

// anySchema is the schema of the group, or of the text that may be in its place.
func (g *keyGroup) anySchema() object {
	if g.textKey == "" && !g.allowsText {
		return g.schema()
	}
	return object{"anyOf": []object{g.schema(), {"type": "string"}}}
}

// listSchema is the schema of a list.
func (g *keyGroup) listSchema() object {
	items := object{"type": "array", "items": g.anySchema()}
	if g.allowsText {
		return object{"anyOf": []object{items, {"type": "string"}}}
	}
	return items
}

func (n *nameMap) schema() object {
	under := object{"type": scalar}
	if n.valueGroup != nil {
		under = n.valueGroup().anySchema()
	}
	if n.help != "" {
		under["description"] = n.help
	}
	return object{"type": "object", "additionalProperties": under}
}

// schemaOf is the schema of what is under a key.
func schemaOf(k *declare.Key) object {
	o := object{}
	switch k.Value.Form {
	case declare.FormMapping:
		switch in := k.Value.Mapping().(type) {
		case *keyGroup:
			o = in.anySchema()
		case *nameMap:
			o = in.schema()
		}
	case declare.FormList:
		o = k.Value.Item().(*keyGroup).listSchema()
	case declare.FormTextOrList:
		o["anyOf"] = []object{{"type": scalar}, k.Value.Item().(*keyGroup).listSchema()}
	case declare.FormListOrTable:
		table := object{"type": "object", "properties": object{"table": object{"type": scalar}},
			"required": []string{"table"}, "additionalProperties": false}
		o["anyOf"] = []object{k.Value.Item().(*keyGroup).listSchema(), table}
	case declare.FormTexts:
		item := object{"type": scalar}
		if k.Value.Choices != nil { // several words in one text, with commas, aren't told apart
			item = object{"enum": choices(k.Value.Choices)}
		}
		o["anyOf"] = []object{{"type": scalar}, {"type": "array", "items": item}}
	case declare.FormTextLists:
		o["type"] = "array"
		o["items"] = object{"anyOf": []object{{"type": "string"}, {"type": "array", "items": object{"type": scalar}}}}
	case declare.FormNumber:
		o["type"] = "integer"
		if k.IsOption {
			o["minimum"] = k.Value.Min
		}
	default:
		o["type"] = scalar
	}
	if k.Value.Choices != nil && k.Value.Form != declare.FormTexts {
		o["enum"] = choices(k.Value.Choices)
		delete(o, "type")
	}
	o["description"] = describe(k)
	if k.IsOption && k.Default != "" {
		o["default"] = k.Default
	}
	return o
}

// describe is the help as an editor shows it.
func describe(k *declare.Key) string {
	var more []string
	if k.Example != "" {
		more = append(more, "such as "+k.Example)
	}
	if k.Default != "" {
		more = append(more, "default: "+k.Default)
	}
	if more == nil || k.IsOption {
		return k.HelpLine()
	}
	return k.Help + " (" + strings.Join(more, "; ") + ")"
}

// choices are the values that a key may have; YAML reads some of them as other
// than texts.
func choices(words []string) (list []any) {
	for _, c := range words {
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
