package ical

import (
	_ "embed" // the names of Windows zones
	"slices"
	"strings"
	"sync"
)

//go:embed windowszones.txt
var windowsZones string

// windowsNames has the IANA name of each Windows zone, by its name in small letters.
var windowsNames = sync.OnceValue(func() map[string]string {
	names := map[string]string{}
	for line := range strings.Lines(windowsZones) {
		if name, zone, ok := strings.Cut(strings.TrimSpace(line), "\t"); ok {
			names[strings.ToLower(name)] = zone
		}
	}
	return names
})

// maxNameParts is how many parts an IANA name has, as America/Argentina/Salta.
const maxNameParts = 3

// ianaName is the IANA name that a TZID stands for: itself, whatever the case, or the end
// of a path such as /example.org/Europe/London (RFC 5545 section 3.2.19 begins those with
// a slash); "" if it is none.
func ianaName(id string) string {
	names := zoneNames()
	if name, ok := names[strings.ToLower(id)]; ok {
		return name
	}
	if !strings.HasPrefix(id, "/") {
		return ""
	}
	parts := strings.Split(id, "/")
	for n := min(maxNameParts, len(parts)-1); n > 0; n-- {
		if name, ok := names[strings.ToLower(strings.Join(parts[len(parts)-n:], "/"))]; ok {
			return name
		}
	}
	return ""
}

// zoneNames has the zones of the archive by their names in small letters.
var zoneNames = sync.OnceValue(func() map[string]string {
	names := map[string]string{}
	list, err := zoneFiles()
	if err != nil {
		return names
	}
	for _, f := range list {
		if !strings.HasSuffix(f.Name, "/") {
			names[strings.ToLower(f.Name)] = f.Name
		}
	}
	return names
})

// sameZone reports whether a parameter of content lines names a zone of a TZID.
func sameZone(lines []string, id string) bool {
	return slices.ContainsFunc(lines, func(s string) bool {
		return strings.Contains(s, ";TZID="+id+":") || strings.Contains(s, `;TZID="`+id+`":`)
	})
}
