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
	"netherlands", "belgium", "italy", "sweden", "norway", "denmark", "finland", "poland", "new-zealand", "japan",
	"ireland", "austria", "spain", "portugal", "luxembourg", "czechia", "hungary", "greece", "iceland", "estonia",
	"latvia", "lithuania", "canada", "australia", "baden-wuerttemberg", "bavaria", "berlin", "brandenburg", "bremen",
	"hamburg", "hesse", "lower-saxony", "mecklenburg-western-pomerania", "north-rhine-westphalia",
	"rhineland-palatinate", "saarland", "saxony", "saxony-anhalt", "schleswig-holstein", "thuringia"}
