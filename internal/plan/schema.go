package plan

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"

	"yoyaku/internal/question"
)

type object = map[string]any

// Schema returns the JSON Schema (draft 2020-12) of plan or of calendar files,
// made from the declarations of their keys and of the questions' options.
func Schema(of string) ([]byte, error) {
	top, title := planShape, "A Yoyaku plan"
	switch of {
	case "plan":
	case "calendar":
		top, title = calendarShape, "A Yoyaku working calendar"
	default:
		return nil, fmt.Errorf("there is a schema of `plan` and of `calendar` files, not of `%s`", of)
	}
	s := mapping(top)
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

// mapping is the schema of a mapping.
func mapping(s *shape) object {
	if s == recordShape { // what it makes decides which other keys it has
		plain := *recordShape
		plain.keys = slices.DeleteFunc(slices.Clone(s.keys), func(k keyOf) bool { return k.name == "make" })
		ways := []object{mapping(&plain)}
		for _, q := range question.All() {
			if q.Record {
				way := mapping(optionalOf(recordOf(q)))
				way["properties"].(object)["make"] = object{"const": q.Name, "description": q.Short}
				way["required"] = []string{"from", "make"}
				ways = append(ways, way)
			}
		}
		return object{"type": "object", "oneOf": ways}
	}
	o := object{"type": "object"}
	if s.names != nil {
		o["additionalProperties"] = schemaOf(*s.names)
		return o
	}
	if s.beside != "" {
		own := *s
		own.beside = ""
		own.keys = slices.DeleteFunc(slices.Clone(s.keys), func(k keyOf) bool { return k.name == s.beside && !k.needed })
		more := *s
		more.beside, more.keys = "", optional(s.keys)
		for i := range more.keys {
			more.keys[i].needed = more.keys[i].name == s.beside || slices.ContainsFunc(s.keys, func(k keyOf) bool { return k.name == s.beside && k.needed }) && s.keys[i].needed
		}
		with := mapping(&more)
		with["additionalProperties"] = object{"type": scalar}
		if len(own.keys) == len(s.keys) { // it always stands there
			return with
		}
		return object{"oneOf": []object{mapping(&own), with}}
	}
	properties := object{}
	var needed []string
	for _, k := range s.keys {
		properties[k.name] = schemaOf(k)
		if k.needed || k.option != nil && k.option.Needed {
			needed = append(needed, k.name)
		}
	}
	o["properties"], o["additionalProperties"] = properties, false
	if needed != nil {
		o["required"] = needed
	}
	return o
}

// optionalOf is a shape of which no key is needed.
func optionalOf(s *shape) *shape {
	c := *s
	c.keys = optional(s.keys)
	for i := range c.keys {
		c.keys[i].option = nil
	}
	return &c
}

// schemaOf is the schema of what stands under a key.
func schemaOf(k keyOf) object {
	o := object{}
	switch k.takes {
	case aMapping:
		o = mapping(k.of)
		if k.of.text { // one text may stand in its place
			o = object{"anyOf": []object{o, {"type": "string"}}}
		}
	case aList:
		o = list(k.of)
	case textOrList:
		o["anyOf"] = []object{{"type": scalar}, list(k.of)}
	case listOrTable:
		table := object{"type": "object", "properties": object{"table": object{"type": scalar}}, "required": []string{"table"}, "additionalProperties": false}
		o["anyOf"] = []object{list(k.of), table}
	case someTexts:
		o["anyOf"] = []object{{"type": scalar}, {"type": "array", "items": object{"type": scalar}}}
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
	if k.oneOf != nil {
		o["enum"] = choices(k)
		delete(o, "type")
	}
	if k.help != "" {
		o["description"] = k.help
	}
	if k.option != nil && k.option.Default != "" {
		o["default"] = k.option.Default
	}
	return o
}

// choices are the values that a key may have; YAML reads some of them as other
// than texts.
func choices(k keyOf) (list []any) {
	for _, c := range k.oneOf {
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

// list is the schema of a list. What an output makes decides which other keys it
// has.
func list(s *shape) object {
	if s != outputShape {
		item := mapping(s)
		items := object{"type": "array", "items": item}
		if s.text {
			items["items"] = object{"anyOf": []object{item, {"type": "string"}}}
			return object{"anyOf": []object{items, {"type": "string"}}}
		}
		return items
	}
	result := append(new(question.Shape).Options(), new(question.EventForm).Options()...)
	var ways []object
	plain := mapping(outputOf(nil, result))
	delete(plain["properties"].(object), "make")
	ways = append(ways, plain)
	for _, q := range question.All() {
		if !q.Record && !q.Alone {
			continue
		}
		way := mapping(outputOf(q, result))
		way["properties"].(object)["make"] = object{"const": q.Name, "description": q.Short}
		way["required"] = append(slices.Clone(way["required"].([]string)), "make")
		ways = append(ways, way)
	}
	return object{"type": "array", "items": object{"type": "object", "oneOf": ways}}
}
