package cli_test

import (
	"fmt"
	"regexp"
	"strings"
	"unicode/utf8"
)

// A small strict reader of iCalendar, written from the grammar of RFC 5545
// (sections 3.1, 3.4 and 3.6) and sharing nothing with the program.

type prop struct {
	params map[string]string
	value  string
}

type component struct {
	name  string
	props map[string][]prop
	subs  []*component
}

var (
	contentLine = regexp.MustCompile(`^([A-Z0-9-]+)((?:;[A-Z0-9-]+=(?:"[^"\x00-\x1f]*"|[^";:,\x00-\x1f]*))*):(.*)$`)
	paramPart   = regexp.MustCompile(`;([A-Z0-9-]+)=("[^"]*"|[^;:,]*)`)
	textValue   = regexp.MustCompile(`^(?:[^\\;,\x00-\x08\x0a-\x1f\x7f]|\\[\\;,nN])*$`)
	dateValue   = regexp.MustCompile(`^\d{8}$`)
	timeValue   = regexp.MustCompile(`^\d{8}T([01]\d|2[0-3])[0-5]\d[0-5]\dZ?$`)
	spanValue   = regexp.MustCompile(`^[+-]?P(\d+W|\d+D(T\d+H(\d+M)?|T\d+M)?|T\d+H(\d+M)?|T\d+M)$`)
	offsetValue = regexp.MustCompile(`^[+-]([01]\d|2[0-3])[0-5]\d([0-5]\d)?$`)
)

// rules of the components that the program writes: properties that must stand
// once (+), may stand once (?), and may be repeated (*).
var grammar = map[string]map[string]byte{
	"VCALENDAR": {"PRODID": '+', "VERSION": '+', "CALSCALE": '?', "METHOD": '?', "NAME": '*', "REFRESH-INTERVAL": '?', "COLOR": '?'},
	"VEVENT": {"UID": '+', "DTSTAMP": '+', "DTSTART": '+', "SEQUENCE": '?', "LAST-MODIFIED": '?', "SUMMARY": '?', "DESCRIPTION": '?', "TRANSP": '?',
		"STATUS": '?', "CATEGORIES": '*', "RRULE": '?', "RDATE": '*', "EXDATE": '*', "DTEND": '?', "DURATION": '?', "LOCATION": '?', "CONTACT": '*', "CLASS": '?', "COLOR": '?', "X-YOYAKU-HASH": '+', "X-YOYAKU-RULE": '?'},
	"VTODO": {"UID": '+', "DTSTAMP": '+', "DUE": '+', "SEQUENCE": '?', "LAST-MODIFIED": '?', "SUMMARY": '?', "DESCRIPTION": '?', "STATUS": '+',
		"CATEGORIES": '*', "LOCATION": '?', "CONTACT": '*', "CLASS": '?', "COLOR": '?', "COMPLETED": '?', "PERCENT-COMPLETE": '?', "X-YOYAKU-HASH": '+', "X-YOYAKU-RULE": '?'},
	"VALARM":    {"UID": '?', "ACTION": '+', "DESCRIPTION": '+', "TRIGGER": '+'},
	"VTIMEZONE": {"TZID": '+'},
	"STANDARD":  {"DTSTART": '+', "TZOFFSETFROM": '+', "TZOFFSETTO": '+', "TZNAME": '*'},
	"DAYLIGHT":  {"DTSTART": '+', "TZOFFSETFROM": '+', "TZOFFSETTO": '+', "TZNAME": '*'},
}

var inside = map[string]string{"VALARM": "VEVENT VTODO", "VEVENT": "VCALENDAR", "VTODO": "VCALENDAR", "VTIMEZONE": "VCALENDAR", "STANDARD": "VTIMEZONE", "DAYLIGHT": "VTIMEZONE"}

func strictRead(data string) (*component, error) {
	if !utf8.ValidString(data) || !strings.HasSuffix(data, "\r\n") {
		return nil, fmt.Errorf("not UTF-8, or not ended by CRLF")
	}
	var logical []string
	for i, line := range strings.Split(strings.TrimSuffix(data, "\r\n"), "\r\n") {
		switch {
		case strings.ContainsAny(line, "\r\n"):
			return nil, fmt.Errorf("line %d: a bare CR or LF", i+1)
		case len(line) > 75:
			return nil, fmt.Errorf("line %d: %d octets", i+1, len(line))
		case !utf8.ValidString(line):
			return nil, fmt.Errorf("line %d: folded inside a character", i+1)
		case strings.HasPrefix(line, " "):
			logical[len(logical)-1] += line[1:]
		default:
			logical = append(logical, line)
		}
	}
	var stack []*component
	var root *component
	zones := map[string]bool{}
	for _, line := range logical {
		m := contentLine.FindStringSubmatch(line)
		if m == nil {
			return nil, fmt.Errorf("not a content line: %q", line)
		}
		p := prop{map[string]string{}, m[3]}
		for _, q := range paramPart.FindAllStringSubmatch(m[2], -1) {
			p.params[q[1]] = strings.Trim(q[2], `"`)
		}
		top := (*component)(nil)
		if len(stack) > 0 {
			top = stack[len(stack)-1]
		}
		switch m[1] {
		case "BEGIN":
			c := &component{name: p.value, props: map[string][]prop{}}
			if top == nil && (root != nil || c.name != "VCALENDAR") || top != nil && !strings.Contains(" "+inside[c.name]+" ", " "+top.name+" ") {
				return nil, fmt.Errorf("%s begins where it may not", c.name)
			}
			if top != nil {
				top.subs = append(top.subs, c)
			} else {
				root = c
			}
			stack = append(stack, c)
		case "END":
			if top == nil || top.name != p.value {
				return nil, fmt.Errorf("END:%s closes nothing", p.value)
			}
			if err := top.check(zones); err != nil {
				return nil, err
			}
			stack = stack[:len(stack)-1]
		default:
			if top == nil {
				return nil, fmt.Errorf("%s outside of a calendar", m[1])
			}
			top.props[m[1]] = append(top.props[m[1]], p)
		}
	}
	if len(stack) > 0 || root == nil {
		return nil, fmt.Errorf("a component is never ended")
	}
	return root, nil
}

func (c *component) check(zones map[string]bool) error {
	rules := grammar[c.name]
	for name, list := range c.props {
		how, known := rules[name]
		if !known || how != '*' && len(list) > 1 {
			return fmt.Errorf("%s: %s may not stand here so often", c.name, name)
		}
		for _, p := range list {
			ok := true
			switch name {
			case "UID", "SUMMARY", "DESCRIPTION", "NAME", "TZNAME":
				ok = textValue.MatchString(p.value)
			case "DTSTAMP":
				ok = timeValue.MatchString(p.value) && strings.HasSuffix(p.value, "Z")
			case "TZOFFSETFROM", "TZOFFSETTO":
				ok = offsetValue.MatchString(p.value)
			case "TRIGGER":
				ok = spanValue.MatchString(p.value)
			case "TZID":
				zones[p.value] = true
			case "DTSTART", "DUE", "RDATE", "EXDATE":
				p.value, _, _ = strings.Cut(p.value, ",")
				ok = timeValue.MatchString(p.value) && p.params["VALUE"] == "" || dateValue.MatchString(p.value) && p.params["VALUE"] == "DATE"
				if z := p.params["TZID"]; z != "" && !zones[z] {
					return fmt.Errorf("the zone %s isn't defined", z)
				}
			}
			if !ok {
				return fmt.Errorf("%s: a bad value of %s: %q", c.name, name, p.value)
			}
		}
	}
	for name, how := range rules {
		if how == '+' && len(c.props[name]) == 0 {
			return fmt.Errorf("%s lacks %s", c.name, name)
		}
	}
	if c.name == "VTIMEZONE" && len(c.subs) == 0 {
		return fmt.Errorf("a VTIMEZONE without observances")
	}
	return nil
}

func (c *component) get(name string) string {
	if len(c.props[name]) == 0 {
		return ""
	}
	return c.props[name][0].value
}
