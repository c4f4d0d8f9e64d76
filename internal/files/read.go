package files

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
)

// ErrorText tells an error of the file system about a path in plain words.
func ErrorText(err *fs.PathError) string {
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return err.Path + ": no such file or folder"
	case errors.Is(err, fs.ErrPermission):
		return err.Path + ": permission denied"
	}
	cause := err.Err
	var inner *fs.PathError
	if errors.As(cause, &inner) { // which names the path again
		cause = inner.Err
	}
	return err.Path + ": " + cause.Error()
}

// ReadAll reads a file that was registered, as the function of that name does.
func (r *Registry) ReadAll(path string, most int64, what string) ([]byte, error) {
	f, err := r.OpenRegistered(os.Open(path))
	return readAll(f, err, path, most, what)
}

// ReadAll reads a whole file of at most so many bytes; what names the kind of
// file in the error of a longer one. Devices and pipes are read no further.
func ReadAll(path string, most int64, what string) ([]byte, error) {
	f, err := os.Open(path)
	return readAll(f, err, path, most, what)
}

func readAll(f *os.File, err error, path string, most int64, what string) ([]byte, error) {
	if err != nil {
		return nil, err
	}
	defer f.Close()
	if info, err := f.Stat(); err == nil && info.IsDir() {
		return nil, fmt.Errorf("%s is a folder, not a %s", path, what)
	}
	data, err := io.ReadAll(io.LimitReader(f, most+1))
	if err != nil {
		return nil, err
	}
	if int64(len(data)) > most {
		return nil, fmt.Errorf("%s is larger than %d MB, too large for a %s", path, most>>20, what)
	}
	return data, nil
}
