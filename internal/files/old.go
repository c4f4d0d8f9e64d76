package files

import (
	"bytes"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// OpenOld opens what is in the place of an output. A device or a pipe is no earlier
// output: for it the error is fs.ErrNotExist, as for no file at all.
func OpenOld(path string) (*os.File, error) {
	info, err := os.Stat(path)
	if err == nil && !info.Mode().IsRegular() {
		err = &fs.PathError{Op: "open", Path: path, Err: fs.ErrNotExist}
	}
	if err != nil {
		return nil, err
	}
	return os.Open(path)
}

// Same reports whether a file holds exactly data.
func Same(path string, data []byte) bool {
	info, err := os.Stat(path)
	if err != nil || !info.Mode().IsRegular() || info.Size() != int64(len(data)) {
		return false
	}
	old, err := os.ReadFile(path)
	return err == nil && bytes.Equal(old, data)
}

// Missing reports whether there is no file of a name.
func Missing(path string) bool {
	_, err := os.Stat(path)
	return errors.Is(err, os.ErrNotExist)
}

// mostLinks is how many links are followed, one pointing to the next.
const mostLinks = 40

// target is the file that a path leads to, through links, absolute; what isn't there yet
// is named by as much of it as is.
func target(path string) string {
	p, err := filepath.Abs(path)
	if err != nil {
		p = filepath.Clean(path)
	}
	rest := ""
	for links := 0; ; {
		if real, err := filepath.EvalSymlinks(p); err == nil {
			return filepath.Join(real, rest)
		}
		if to, err := os.Readlink(p); err == nil && links < mostLinks { // to something that isn't there
			if links++; !filepath.IsAbs(to) {
				to = filepath.Join(filepath.Dir(p), to)
			}
			p = to
			continue
		}
		up := filepath.Dir(p)
		if up == p {
			return filepath.Join(p, rest)
		}
		rest, p = filepath.Join(filepath.Base(p), rest), up
	}
}
