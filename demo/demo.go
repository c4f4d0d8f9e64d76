// Package demo holds the demo folder: Skerry Line, an invented ferry
// co-operative. People, places and holidays in it are made up.
package demo

import "embed"

// Files is the folder, under "files".
//
//go:embed files
var Files embed.FS
