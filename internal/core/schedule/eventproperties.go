package schedule

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/phrase"
)

// EventProperties is how events show in a calendar.
type EventProperties struct {
	Busy            bool   // takes up time
	DurationMinutes int    // minutes that a timed event takes; 0 for no end
	Color           string // a CSS3 name (RFC 7986 section 5.9)
	Location        string
	// Categories stand in place of the series' name.
	Categories []string
}

// ParseEventDuration reads `30 minutes` or `2 hours` as minutes, at most a day.
func ParseEventDuration(text string) (minutes int, err error) {
	f := strings.Fields(strings.ToLower(text))
	if len(f) == 2 {
		if minutes, err = strconv.Atoi(f[0]); minutes > 1440 { // more than may be, in whichever unit
			minutes = 0
		}
		if strings.TrimSuffix(f[1], "s") == "hour" {
			minutes *= 60
		} else if strings.TrimSuffix(f[1], "s") != "minute" {
			minutes = 0
		}
	}
	if err != nil || minutes < 1 || minutes > 1440 {
		return 0, fmt.Errorf("expected a length such as `30 minutes` or `2 hours`, at most 24 hours, found %q", text)
	}
	return minutes, nil
}

// ParseColor checks the name of a colour.
func ParseColor(text string) (string, error) {
	name := strings.ToLower(strings.TrimSpace(text))
	if slices.Contains(colors, name) {
		return name, nil
	}
	hint := "use a CSS colour name such as teal or darkorange"
	if near := phrase.Nearest(name, colors); near != "" {
		hint = "did you mean " + near + "?"
	}
	return "", fmt.Errorf("unknown colour %q; %s", text, hint)
}

// colors are the names of CSS Color Module Level 3, section 4.3.
var colors = strings.Fields(`aliceblue antiquewhite aqua aquamarine azure beige bisque black blanchedalmond blue
blueviolet brown burlywood cadetblue chartreuse chocolate coral cornflowerblue cornsilk crimson cyan darkblue
darkcyan darkgoldenrod darkgray darkgreen darkgrey darkkhaki darkmagenta darkolivegreen darkorange darkorchid
darkred darksalmon darkseagreen darkslateblue darkslategray darkslategrey darkturquoise darkviolet deeppink
deepskyblue dimgray dimgrey dodgerblue firebrick floralwhite forestgreen fuchsia gainsboro ghostwhite gold
goldenrod gray green greenyellow grey honeydew hotpink indianred indigo ivory khaki lavender lavenderblush
lawngreen lemonchiffon lightblue lightcoral lightcyan lightgoldenrodyellow lightgray lightgreen lightgrey
lightpink lightsalmon lightseagreen lightskyblue lightslategray lightslategrey lightsteelblue lightyellow lime
limegreen linen magenta maroon mediumaquamarine mediumblue mediumorchid mediumpurple mediumseagreen
mediumslateblue mediumspringgreen mediumturquoise mediumvioletred midnightblue mintcream mistyrose moccasin
navajowhite navy oldlace olive olivedrab orange orangered orchid palegoldenrod palegreen paleturquoise
palevioletred papayawhip peachpuff peru pink plum powderblue purple red rosybrown royalblue saddlebrown salmon
sandybrown seagreen seashell sienna silver skyblue slateblue slategray slategrey snow springgreen steelblue tan
teal thistle tomato turquoise violet wheat white whitesmoke yellow yellowgreen`)
