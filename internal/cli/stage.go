package cli

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
)

// staging holds the temporary files that exist now, so that an interrupt can
// remove them. It is locked while finished files are put in place.
var staging struct {
	sync.Mutex
	temps map[string]bool
}

// Interrupted removes what is half-written. Files that are being put in place
// are all put in place first.
func Interrupted() {
	staging.Lock() // and never unlocked: nothing more is to be written
	for t := range staging.temps {
		_ = os.Remove(t)
	}
}

// stage collects files that appear together, each whole or not at all.
type stage struct {
	files []*stagedFile
}

// stagedFile is a file being written beside its final place.
type stagedFile struct {
	*os.File
	final string
	plain bool // a device or pipe, written directly
}

// create begins a file that will stand at path.
func (s *stage) create(path string) (io.Writer, error) {
	if info, err := os.Stat(path); err == nil {
		if info.IsDir() {
			return nil, usagef("%s is a folder; name a file in it", path)
		}
		if !info.Mode().IsRegular() {
			f, err := os.OpenFile(path, os.O_WRONLY, 0)
			if err != nil {
				return nil, err
			}
			s.files = append(s.files, &stagedFile{f, path, true})
			return f, nil
		}
	}
	f, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+".*.part")
	if err != nil {
		return nil, err
	}
	staging.Lock()
	if staging.temps == nil {
		staging.temps = map[string]bool{}
	}
	staging.temps[f.Name()] = true
	staging.Unlock()
	s.files = append(s.files, &stagedFile{f, path, false})
	return f, nil
}

// drop removes everything that was staged.
func (s *stage) drop() {
	staging.Lock()
	defer staging.Unlock()
	s.remove()
}

func (s *stage) remove() {
	for _, f := range s.files {
		_ = f.Close()
		if !f.plain {
			_ = os.Remove(f.Name())
			delete(staging.temps, f.Name())
		}
	}
	s.files = nil
}

// commit brings all staged files to disk and only then puts them in place.
func (s *stage) commit() error {
	for _, f := range s.files {
		if err := f.settle(); err != nil {
			s.drop()
			return err
		}
	}
	staging.Lock()
	defer staging.Unlock()
	for i, f := range s.files {
		if f.plain {
			continue
		}
		if err := os.Rename(f.Name(), f.final); err != nil {
			s.files = s.files[i:]
			s.remove()
			return err
		}
		delete(staging.temps, f.Name())
	}
	s.files = nil
	return nil
}

// settle flushes a file to disk and gives it the permissions of the file that
// it replaces.
func (f *stagedFile) settle() error {
	if f.plain {
		return f.Close()
	}
	mode := os.FileMode(0o644)
	if info, err := os.Stat(f.final); err == nil {
		mode = info.Mode().Perm()
	}
	if err := f.Chmod(mode); err != nil && filepath.Separator == '/' {
		return err
	}
	if err := f.Sync(); err != nil {
		return err
	}
	return f.Close()
}

// writeFile writes one file whole or not at all.
func writeFile(path string, inputs []string, fill func(io.Writer) error) error {
	if err := notInput(path, inputs); err != nil {
		return err
	}
	var s stage
	w, err := s.create(path)
	if err != nil {
		return err
	}
	if err := fill(w); err != nil {
		s.drop()
		return err
	}
	return s.commit()
}

// notInput refuses to write over a file that was read.
func notInput(path string, inputs []string) error {
	to, err := os.Stat(path)
	for _, in := range inputs {
		same := filepath.Clean(in) == filepath.Clean(path)
		if from, ferr := os.Stat(in); err == nil && ferr == nil {
			same = same || os.SameFile(from, to)
		}
		if same {
			return usagef("%s is read by this command, so it can't be its output too; name another file", path)
		}
	}
	return nil
}

// inside refuses a path that leaves root through a link.
func inside(root, path string) error {
	r, err := filepath.EvalSymlinks(root)
	if err != nil {
		return err
	}
	dir, err := filepath.EvalSymlinks(filepath.Dir(path))
	if err != nil {
		return err
	}
	if rel, err := filepath.Rel(r, dir); err != nil || rel == ".." || strings.HasPrefix(rel, ".."+string(filepath.Separator)) {
		return fmt.Errorf("%s leaves the output folder %s through a link; outputs stay inside it", path, root)
	}
	return nil
}

// sameBytes reports whether a file holds exactly data.
func sameBytes(path string, data []byte) bool {
	old, err := os.ReadFile(path)
	return err == nil && bytes.Equal(old, data)
}
