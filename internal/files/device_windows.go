package files

import (
	"io/fs"
	"os"
)

// openDevice opens what is no regular file.
func openDevice(path string, _ fs.FileInfo) (*os.File, error) {
	return os.OpenFile(path, os.O_WRONLY, 0)
}
