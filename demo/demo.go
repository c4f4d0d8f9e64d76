// Package demo holds the demo folder: Skerry Line, an invented ferry
// co-operative. People, places and holidays in it are made up.
package demo

import (
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// Files is the folder, under "files".
//
//go:embed files
var Files embed.FS

// Write writes the embedded folder, whole or not at all; a folder that holds anything
// is refused. undo takes it away again.
func Write(dir string) (undo func(), err error) {
	list, err := os.ReadDir(dir)
	if err == nil && len(list) > 0 {
		return nil, fmt.Errorf("%s isn't empty; name a new folder: yoyaku demo FOLDER", dir)
	}
	isNew := errors.Is(err, fs.ErrNotExist)
	if err != nil && !isNew {
		return nil, err
	}
	undo = func() {
		made, _ := os.ReadDir(dir) // it was empty, so all in it is the demo's
		for _, f := range made {
			_ = os.RemoveAll(filepath.Join(dir, f.Name()))
		}
		if isNew {
			_ = os.Remove(dir)
		}
	}
	from, err := fs.Sub(Files, "files")
	if err == nil {
		err = os.CopyFS(dir, from)
	}
	if err != nil {
		undo()
	}
	return undo, err
}
