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

// Register knows every file that is read and every file that will be written.
// Each is named to it before it is opened; what would lose a file is refused.
type Register struct {
	mu    sync.Mutex
	read  []entry
	write []entry
	out   os.FileInfo // the file that standard output goes to; nil for none
	sums  map[string]string
	hash  bool
}

// Hash has files hashed while they are read.
func (r *Register) Hash() { r.hash = true }

// Sum is the SHA-256 of a file as it was when it was read first, in hex digits; "" if it
// wasn't, or nobody asked for it.
func (r *Register) Sum(path string) string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.sums[path]
}

// Open registers a file that is read, and opens it. What is there is hashed through
// the file that is then read from, if that was asked for, once.
func (r *Register) Open(path string) (*os.File, error) {
	if err := r.Read(path); err != nil {
		return nil, err
	}
	return r.Opened(os.Open(path))
}

// Opened is Open for a file that was registered before.
func (r *Register) Opened(f *os.File, err error) (*os.File, error) {
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

type entry struct {
	path string // absolute and clean, through links
	as   string // as it was named
}

// same reports whether two paths are one file.
func same(a, b string) bool {
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

func clash(format string, args ...any) error { return &ClashError{fmt.Sprintf(format, args...)} }

// Read names a file that is read. It is an error where it will be written too.
func (r *Register) Read(path string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	e := entry{target(path), path}
	r.read = append(r.read, e)
	if err := r.apart(e); err != nil {
		return err
	}
	for _, w := range r.write {
		if same(w.path, e.path) {
			return overwritten(w.as)
		}
	}
	return nil
}

// Output says where standard output goes. It is an error where that file is read too,
// before or from now on.
func (r *Register) Output(w io.Writer) error {
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
	r.out = info
	for _, e := range r.read {
		if err := r.apart(e); err != nil {
			return err
		}
	}
	return nil
}

// apart refuses a file that is read and is where standard output goes.
func (r *Register) apart(e entry) error {
	if r.out == nil {
		return nil
	}
	if info, err := os.Stat(e.path); err == nil && os.SameFile(info, r.out) {
		return clash("%s is both read and written by this command (the shell empties a file after > first); name another file", e.as)
	}
	return nil
}

func overwritten(path string) error {
	return clash("%s is both read and written by this command; name another file", path)
}

// Write names a file that will be written. It is an error where it is read, is
// written already, or lies inside another output or holds one.
func (r *Register) Write(path string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	e, err := r.free(path)
	if err == nil {
		r.write = append(r.write, e)
	}
	return err
}

// Free is Write for those who only ask, before they do what can't be taken back.
func (r *Register) Free(path string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	_, err := r.free(path)
	return err
}

func (r *Register) free(path string) (entry, error) {
	e := entry{target(path), path}
	for _, in := range r.read {
		if same(in.path, e.path) {
			return e, overwritten(path)
		}
	}
	for _, w := range r.write {
		switch {
		case same(w.path, e.path):
			return e, clash("%s would be written twice; name two files", path)
		case strings.HasPrefix(e.path, w.path+string(filepath.Separator)),
			strings.HasPrefix(w.path, e.path+string(filepath.Separator)):
			return e, clash("%s and %s can't both be written: one is a file, the other needs a folder of that name", w.as, path)
		}
	}
	return e, nil
}

// Reads lists the files that are read, as they were named.
func (r *Register) Reads() (list []string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, e := range r.read {
		list = append(list, e.as)
	}
	return list
}
