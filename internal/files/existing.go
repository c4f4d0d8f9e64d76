package files

import (
	"bytes"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// OpenExisting opens what is in the place of an output. A device or a pipe is no earlier
// output: for it the error is fs.ErrNotExist, as for no file at all.
func OpenExisting(path string) (*os.File, error) {
	info, err := os.Stat(path)
	if err == nil && !info.Mode().IsRegular() {
		err = &fs.PathError{Op: "open", Path: path, Err: fs.ErrNotExist}
	}
	if err != nil {
		return nil, err
	}
	return os.Open(path)
}

// HasContent reports whether a file holds exactly data.
func HasContent(path string, data *Spool) bool {
	info, err := os.Stat(path)
	if err != nil || !info.Mode().IsRegular() || info.Size() != data.Size() {
		return false
	}
	f, err := os.Open(path)
	if err != nil {
		return false
	}
	defer f.Close()
	old, now := make([]byte, compareChunk), make([]byte, compareChunk)
	for in := data.Open(); ; {
		n, errOld := io.ReadFull(f, old)
		m, errNow := io.ReadFull(in, now)
		switch {
		case !bytes.Equal(old[:n], now[:m]):
			return false
		case errOld != nil || errNow != nil:
			return isEnd(errOld) && isEnd(errNow)
		}
	}
}

// compareChunk is how many bytes are compared at a time.
const compareChunk = 64 << 10

func isEnd(err error) bool { return err == io.EOF || err == io.ErrUnexpectedEOF }

// NotExist reports whether there is no file of a name.
func NotExist(path string) bool {
	_, err := os.Stat(path)
	return errors.Is(err, os.ErrNotExist)
}

// maxLinks is how many links are followed, one pointing to the next.
const maxLinks = 40

// resolvePath is the file that a path leads to, through links, absolute; what isn't there yet
// is named by as much of it as is.
func resolvePath(path string) string {
	p, err := filepath.Abs(path)
	if err != nil {
		p = filepath.Clean(path)
	}
	rest := ""
	for links := 0; ; {
		if real, err := filepath.EvalSymlinks(p); err == nil {
			return filepath.Join(real, rest)
		}
		if to, err := os.Readlink(p); err == nil && links < maxLinks { // to something that isn't there
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
