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

// NextSteps is what is said once the demo stands: what was made, and what to try in the folder,
// whose name it takes.
const NextSteps = `
Open wall.html or a page of calendars/ in a browser, skerry.ics in a calendar program, and
ending.xlsx in a spreadsheet. The crew's pay days of early 2027 are released: released.csv
keeps them, and no change of the plan moves them unnoticed.

Try next:
  cd %s
  yoyaku dates "monthly on 15, last then roll preceding" --window 2027 --calendar isles
  yoyaku check
  yoyaku ahead --as-of 2027-04-20
  yoyaku ahead --as-of 2027-04-20 --owner ansa
  yoyaku holidays isles --window 2027
  yoyaku why crew-pay 2027-03-15
  yoyaku derive crew-contracts.csv --add "ends = start, lasting term months"
  yoyaku due crew-contracts.csv --date "ends = start, lasting term months" --window 2027
  yoyaku run --window 2027-H1 --out half
  yoyaku read harbour-office.ics --window 2027-Q1
  yoyaku help phrases

To try publishing, start a calendar server on this machine (on Debian: radicale) in
another terminal, then publish the plan's events to it:
  radicale --storage-filesystem-folder=calendars --auth-type=none
  YOYAKU_CALDAV_USER=clerk YOYAKU_CALDAV_PASSWORD=any \
    yoyaku publish --to http://127.0.0.1:5232/ --window 2027-Q1
`
