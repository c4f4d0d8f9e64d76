// Package plan reads plan and calendar files (YAML) into the values of the
// core, with the line and column of every fault.
package plan

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/files"
)

// Error is a fault in a plan or calendar file with its place.
type Error struct {
	File         string
	Line, Column int // from 1; 0 if the fault has no place
	Err          error
	// Via is a second place, of what is made by this one; "" if there is none.
	Via string
}

// Error gives file:line:column and the fault.
func (e *Error) Error() string { return e.Prefix() + e.Err.Error() }

// Prefix gives "file:line:column: ".
func (e *Error) Prefix() string {
	if e.Line == 0 {
		return e.File + ": "
	}
	place := fmt.Sprintf("%s:%d:%d: ", e.File, e.Line, e.Column)
	if e.Via != "" {
		place += e.Via + ": "
	}
	return place
}

// Unwrap returns the fault without its place.
func (e *Error) Unwrap() error { return e.Err }

// doc is one YAML file being read.
type doc struct {
	path string // as it was named
	root ast.Node
	// collect, if it isn't nil, takes faults of entries, and the rest goes on.
	collect *Collector
	// params are what the pattern of a series takes; through says for which series it is
	// read.
	params    phrase.Substitutions
	forSeries string
}

// collectError returns a fault of an entry, or collects it and goes on.
func (d *doc) collectError(err error) error {
	if d.collect == nil || err == nil {
		return err
	}
	d.collect.Add(d.path, err)
	return nil
}

// maxYAML bounds a plan or calendar file.
const maxYAML = 8 << 20

func readDoc(path string, reg *files.Registry) (*doc, error) {
	data, err := reg.ReadAll(path, maxYAML, "plan")
	if err != nil {
		return nil, err
	}
	return parseDoc(path, data)
}

// resolvePath resolves a path that is in the file, relative to the file.
func (d *doc) resolvePath(name string) string {
	name = filepath.FromSlash(name)
	if filepath.IsAbs(name) {
		return name
	}
	return filepath.Join(filepath.Dir(d.path), name)
}

func parseDoc(path string, data []byte) (*doc, error) {
	d := &doc{path: path}
	fail := func(err error) (*doc, error) { return nil, &Error{File: path, Err: err} }
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	if line := tooDeepLine(data); line > 0 {
		return nil, &Error{File: path, Line: line, Column: 1,
			Err: errors.New("too many nested brackets or dashes; check that each bracket is closed")}
	}
	if strings.ContainsRune(string(data), 0) {
		return fail(errors.New("not a plan: the file is not text"))
	}
	f, err := parser.ParseBytes(data, 0)
	if err != nil {
		return nil, syntaxError(path, err)
	}
	for _, body := range f.Docs {
		if body.Body == nil {
			continue
		}
		if d.root != nil {
			return fail(errors.New("a plan is one YAML document; this file has several"))
		}
		d.root = body.Body
	}
	if d.root == nil {
		return fail(errors.New("the file is empty"))
	}
	if _, ok := d.root.(*ast.MappingNode); !ok {
		return nil, d.fail(d.root, "not a plan: expected lines of `key: value`, such as `plan: 1`")
	}
	return d, nil
}

// maxNesting is how deep brackets may be nested, which the parser takes ever
// longer for.
const maxNesting = 200

// tooDeepLine returns the line on which brackets, or dashes in a row, are nested too
// deep; 0 if they aren't.
func tooDeepLine(data []byte) int {
	depth, dashes, line := 0, 0, 1
	for _, c := range data {
		switch c {
		case '\n':
			line, dashes = line+1, 0
		case '[', '{':
			depth++
		case ']', '}':
			depth = max(0, depth-1)
		case '-', '?':
			dashes++
		case ' ', '\t':
		default:
			dashes = 0
		}
		if depth > maxNesting || dashes > maxNesting {
			return line
		}
	}
	return 0
}

// syntaxError takes place and message out of the YAML parser's report.
func syntaxError(path string, err error) error {
	var located interface {
		error
		GetMessage() string
	}
	e := &Error{File: path, Err: err}
	if !errors.As(err, &located) {
		return e
	}
	first, _, _ := strings.Cut(err.Error(), "\n")
	if _, serr := fmt.Sscanf(first, "[%d:%d]", &e.Line, &e.Column); serr != nil {
		e.Line, e.Column = 0, 0
	}
	message := "not valid YAML: " + located.GetMessage()
	if strings.Contains(message, "not allowed in this context") {
		message += "; if this is a phrase, quote the phrase: '…'"
	}
	e.Err = errors.New(message)
	return e
}

func (d *doc) position(n ast.Node) (line, column int) {
	if t := n.GetToken(); t != nil && t.Position != nil {
		return t.Position.Line, t.Position.Column
	}
	return 1, 1
}

// wrap puts the place of a value around an error.
func (d *doc) wrap(n ast.Node, err error) error {
	if err == nil {
		return nil
	}
	line, column := d.position(n)
	return d.wrapAt(line, column, err)
}

// wrapAt puts a place around an error, unless it has one.
func (d *doc) wrapAt(line, column int, err error) error {
	if has := (*Error)(nil); errors.As(err, &has) {
		return err
	}
	var unknown *phrase.Error
	if d.params != nil && errors.As(err, &unknown) && unknown.UnknownName != "" {
		unknown.AddCandidates(slices.Sorted(maps.Keys(d.params)))
	}
	return &Error{d.path, line, column, err, d.forSeries}
}

func (d *doc) fail(n ast.Node, format string, args ...any) error {
	return d.wrap(n, fmt.Errorf(format, args...))
}

// source names the line of a node: what a holiday's origin is reported as.
func (d *doc) source(n ast.Node) string { return d.pos(n).source() }

// source names the line of a place.
func (s Pos) source() string {
	return fmt.Sprintf("%s:%d", filepath.ToSlash(filepath.Base(s.doc.path)), s.line)
}

const noAnchors = "YAML anchors and aliases are not supported; use `patterns` for what several series share"

// calendarName reads the name of a calendar, which a pattern may take: (cal).
func (d *doc) calendarName(n ast.Node) (string, error) {
	return d.textOrParam(n, (*doc).text)
}

// ownerName is calendarName for an owner, whose name may also hold {words}.
func (d *doc) ownerName(n ast.Node) (string, error) { return d.textOrParam(n, (*doc).substituted) }

// textOrParam reads a text that may be a word in parentheses, which a pattern takes.
func (d *doc) textOrParam(n ast.Node, read func(*doc, ast.Node) (string, error)) (string, error) {
	text, err := read(d, n)
	if err != nil {
		return "", err
	}
	if word, ok := strings.CutPrefix(text, "("); ok && strings.HasSuffix(word, ")") {
		value, known := d.params[foldName(strings.TrimSuffix(word, ")"))]
		if !known {
			return "", fmt.Errorf("the pattern has no parameter `%s`", text)
		}
		return value, nil
	}
	return text, nil
}

// text reads a scalar as it is in the file.
func (d *doc) text(n ast.Node) (string, error) {
	switch n := n.(type) {
	case *ast.LiteralNode:
		return strings.TrimSpace(n.Value.Value), nil
	case *ast.NullNode:
		return "", d.fail(n, "a value is missing here")
	case *ast.AnchorNode, *ast.AliasNode:
		return "", d.fail(n, "%s", noAnchors)
	case ast.ScalarNode:
		return n.GetToken().Value, nil
	case *ast.MappingNode:
		if clock, ok := clockText(n); ok {
			return clock, nil
		}
	}
	return "", d.fail(n, "expected a single value, found a list or `key: value`")
}

// clockText is the text that the parser takes for a mapping in a list within braces,
// `{remind: [1 day before at 09:00]}`: its colon has no blank after it, so it is
// no key (YAML 1.2 section 7.3.3).
func clockText(n *ast.MappingNode) (string, bool) {
	if len(n.Values) != 1 {
		return "", false
	}
	pair := n.Values[0]
	value, ok := pair.Value.(ast.ScalarNode)
	if !ok || value.GetToken().Position.Offset != pair.Start.Position.Offset+1 {
		return "", false
	}
	return pair.Key.GetToken().Value + ":" + value.GetToken().Value, true
}

// texts reads a list, or one scalar with commas in it.
func (d *doc) texts(n ast.Node) (list []string, nodes []ast.Node, err error) {
	if seq, ok := n.(*ast.SequenceNode); ok {
		for _, v := range seq.Values {
			s, err := d.text(v)
			if err != nil {
				return nil, nil, err
			}
			list, nodes = append(list, s), append(nodes, v)
		}
		return list, nodes, nil
	}
	s, err := d.text(n)
	if err != nil {
		return nil, nil, err
	}
	for _, part := range strings.Split(s, ",") {
		list, nodes = append(list, strings.TrimSpace(part)), append(nodes, n)
	}
	return list, nodes, nil
}

func (d *doc) date(n ast.Node) (civil.Date, error) {
	s, err := d.text(n)
	if err != nil {
		return civil.None, err
	}
	return parseDay(s)
}

func parseDay(s string) (civil.Date, error) {
	day, shape, ok := civil.Parse(s)
	switch {
	case !ok && shape:
		return civil.None, fmt.Errorf("no such date: %s", s)
	case !ok:
		return civil.None, fmt.Errorf("expected a date such as 2027-03-31, found %q", s)
	}
	return day, nil
}

func foldName(name string) string { return phrase.FoldName(strings.TrimSpace(name)) }
