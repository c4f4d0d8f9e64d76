package plan

import (
	"path/filepath"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
)

// planFile is a file of the plan: the plan itself, or one that it includes.
type planFile struct {
	doc  *doc
	keys map[string]*node // by key
}

// included reads the files that a plan takes entries from; they precede it, in
// the order in which they are named.
func (p *Plan) included(own *planFile) (docs []*planFile, err error) {
	seen := map[string]bool{filepath.Clean(own.doc.path): true}
	docs, err = p.includes(own, seen, nil)
	return append(docs, own), err
}

// includes reads what the key `include` of a file names; through are the files that led
// to it.
func (p *Plan) includes(file *planFile, seen map[string]bool, through []string) (docs []*planFile, err error) {
	v, d := file.keys["include"], file.doc
	if v == nil {
		return nil, nil
	}
	names, at, err := d.texts(v.valueNode)
	if err != nil {
		return nil, v.wrap(err)
	}
	through = append(slices.Clone(through), filepath.Clean(d.path))
	for i, name := range names {
		paths, err := filepath.Glob(d.resolvePath(name))
		switch {
		case err != nil:
			return nil, d.fail(at[i], "`%s` is not a valid file pattern: %v", name, err)
		case len(paths) == 0:
			return nil, d.fail(at[i], "no file matches `%s`", name)
		}
		slices.Sort(paths)
		for _, path := range paths {
			clean := filepath.Clean(path)
			switch {
			case slices.Contains(through, clean):
				return nil, d.fail(at[i], "%s includes itself through %s", filepath.ToSlash(path),
					filepath.ToSlash(strings.Join(through, ", ")))
			case seen[clean]: // two files may share a third
				continue
			}
			seen[clean] = true
			more, err := p.include(d, at[i], path, seen, through)
			if err != nil {
				return nil, err
			}
			docs = append(docs, more...)
		}
	}
	return docs, nil
}

// include reads a file with entries for the plan, and those that it includes.
func (p *Plan) include(by *doc, at ast.Node, path string, seen map[string]bool, through []string) ([]*planFile, error) {
	if err := p.Files.AddInput(path); err != nil {
		return nil, by.wrap(at, err)
	}
	d, err := readDoc(path, p.Files)
	if err != nil {
		return nil, by.wrap(at, err)
	}
	d.collect = by.collect
	file, err := p.newPlanFile(d)
	if err != nil {
		return nil, err
	}
	for key, v := range file.keys {
		if !slices.Contains(includableKeys, key) {
			return nil, d.fail(v.keyNode, "`%s` can't be in an included file; it takes %s", key,
				strings.Join(includableKeys, ", "))
		}
	}
	docs, err := p.includes(file, seen, through)
	return append(docs, file), err
}

// newPlanFile gives what a file says, by key.
func (p *Plan) newPlanFile(d *doc) (*planFile, error) {
	v := rootNode(d, "", d.root)
	parts, err := planKeys().split(v)
	if err != nil {
		return nil, err
	}
	file := &planFile{d, map[string]*node{}}
	for _, k := range parts {
		file.keys[k.name] = k
	}
	return file, nil
}

// includableKeys are the keys that an included file may have.
var includableKeys = []string{"calendars", "patterns", "people", "series", "series-from", "records", "apart", "include"}
