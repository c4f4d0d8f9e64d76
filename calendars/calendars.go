// Package calendars holds the built-in public calendars as data, in the format
// of calendar files. Each names the law or notice that it follows.
package calendars

import "embed"

// Files are the calendars, NAME.yaml each.
//
//go:embed *.yaml
var Files embed.FS

// Names lists them.
var Names = []string{"us-federal", "us-banks", "england-wales", "scotland", "northern-ireland", "target", "germany", "france",
	"netherlands", "belgium", "italy", "sweden", "norway", "denmark", "finland", "poland", "new-zealand", "japan"}
