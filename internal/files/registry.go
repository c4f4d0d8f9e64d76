package files

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
)

// Registry knows every file that is read or will be written, so that no output replaces an
// input or another output.
type Registry struct {
	mu      sync.Mutex
	inputs  []registeredPath
	outputs []registeredPath
	stdout  os.FileInfo // the file that standard output goes to; nil for none
	sums    map[string]string
	hash    bool
}

// EnableHashing has files hashed while they are read.
func (r *Registry) EnableHashing() { r.hash = true }

// Sum is the SHA-256 of a file as it was when it was read first, in hex digits; "" if it
// wasn't, or nobody asked for it.
func (r *Registry) Sum(path string) string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.sums[path]
}

// Open registers a file that is read, and opens it. What is there is hashed through
// the file that is then read from, if that was asked for, once.
func (r *Registry) Open(path string) (*os.File, error) {
	if err := r.AddInput(path); err != nil {
		return nil, err
	}
	return r.OpenRegistered(os.Open(path))
}

// OpenRegistered is Open for a file that was registered before.
func (r *Registry) OpenRegistered(f *os.File, err error) (*os.File, error) {
	if err != nil || r == nil || !r.hash || r.Sum(f.Name()) != "" {
		return f, err
	}
	info, err := f.Stat()
	if err != nil || !info.Mode().IsRegular() {
		return f, nil // what reads it tells
	}
	sum := sha256.New()
	if _, err := io.Copy(sum, f); err != nil {
		f.Close()
		return nil, err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		f.Close()
		return nil, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.sums == nil {
		r.sums = map[string]string{}
	}
	r.sums[f.Name()] = hex.EncodeToString(sum.Sum(nil))
	return f, nil
}

type registeredPath struct {
	path    string // absolute and clean, through links
	asNamed string // as it was named
}

// samePath reports whether two paths are one file.
func samePath(a, b string) bool {
	if a == b || runtime.GOOS == "windows" && strings.EqualFold(a, b) {
		return true
	}
	x, err := os.Stat(a)
	if err != nil {
		return false
	}
	y, err := os.Stat(b)
	return err == nil && os.SameFile(x, y)
}

// ClashError is two uses of files that don't go together.
type ClashError struct{ Message string }

// Error lists them.
func (e *ClashError) Error() string { return e.Message }

func clashf(format string, args ...any) error { return &ClashError{fmt.Sprintf(format, args...)} }

// AddInput names a file that is read. It is an error where it will be written too.
func (r *Registry) AddInput(path string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	e := registeredPath{resolvePath(path), path}
	r.inputs = append(r.inputs, e)
	if err := r.checkNotStdout(e); err != nil {
		return err
	}
	for _, w := range r.outputs {
		if samePath(w.path, e.path) {
			return overwritten(w.asNamed)
		}
	}
	return nil
}

// SetStdout says where standard output goes. It is an error where that file is read too,
// before or from now on.
func (r *Registry) SetStdout(w io.Writer) error {
	f, ok := w.(*os.File)
	if !ok {
		return nil
	}
	info, err := f.Stat()
	if err != nil || !info.Mode().IsRegular() {
		return nil
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.stdout = info
	for _, e := range r.inputs {
		if err := r.checkNotStdout(e); err != nil {
			return err
		}
	}
	return nil
}

// checkNotStdout refuses a file that is read and is where standard output goes.
func (r *Registry) checkNotStdout(e registeredPath) error {
	if r.stdout == nil {
		return nil
	}
	if info, err := os.Stat(e.path); err == nil && os.SameFile(info, r.stdout) {
		return clashf("%s is both read and written by this command (the shell empties a file after > first); name another file", e.asNamed)
	}
	return nil
}

func overwritten(path string) error {
	return clashf("%s is both read and written by this command; name another file", path)
}

// AddOutput names a file that will be written. It is an error where it is read, is
// written already, or lies inside another output or holds one.
func (r *Registry) AddOutput(path string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	e, err := r.checkOutput(path)
	if err == nil {
		r.outputs = append(r.outputs, e)
	}
	return err
}

// CheckWritable is Write for those who only ask, before they do what can't be taken back.
func (r *Registry) CheckWritable(path string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	_, err := r.checkOutput(path)
	return err
}

func (r *Registry) checkOutput(path string) (registeredPath, error) {
	e := registeredPath{resolvePath(path), path}
	for _, in := range r.inputs {
		if samePath(in.path, e.path) {
			return e, overwritten(path)
		}
	}
	for _, w := range r.outputs {
		switch {
		case samePath(w.path, e.path):
			return e, clashf("%s would be written twice; name two files", path)
		case strings.HasPrefix(e.path, w.path+string(filepath.Separator)),
			strings.HasPrefix(w.path, e.path+string(filepath.Separator)):
			return e, clashf("%s and %s can't both be written: one is a file, the other needs a folder of that name", w.asNamed, path)
		}
	}
	return e, nil
}

// Inputs lists the files that are read, as they were named.
func (r *Registry) Inputs() (list []string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, e := range r.inputs {
		list = append(list, e.asNamed)
	}
	return list
}
