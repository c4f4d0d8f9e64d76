package query

import (
	"yoyaku/internal/ask"
	"yoyaku/internal/declare"
)

func init() { register(newRead) }

func newRead() *ask.Query {
	q := &ask.EventQuery{}
	return &ask.Query{
		IgnoresPlan: true, Name: "read", Group: ask.HandOver, Order: 1, Use: "read FILE.ics",
		Short: "A calendar file (.ics) as a table",
		Long: `List the events of a calendar file by date, one row for each time a recurring event
takes place; moved ones are listed at their new time, cancelled ones left out. Times are
local to the event, with the zone beside them. Anything that can't be read is reported
with its line, and the rest goes on.`,
		Examples: `  yoyaku read harbour-office.ics --window 2027-Q1
  yoyaku read skerry.ics --window 2027 --where "categories = 'crew-pay'" --columns start,summary
  yoyaku read harbour-office.ics --raw --columns start,summary,rrule,status,line`,
		MinArgs: 1, MaxArgs: 1, ArgsHelp: "a calendar file, such as harbour-office.ics, or -",
		Options: []*declare.Key{
			{Name: "window", Help: "list the events in `SPAN` (default: all)", Value: declare.Span.Into(&q.Window)},
			{Name: "zone", Help: "show times in `ZONE`, such as Atlantic/Faroe (default: each\nevent's own)", Value: declare.Text.Into(&q.Zone)},
			{Name: "cancelled", Help: "list cancelled events too", Value: declare.Bool.Into(&q.Cancelled)},
			{Name: "raw", Help: "list each component of the file once, without repeating it", Value: declare.Bool.Into(&q.Raw)},
			{Name: "strict", Help: "stop with an error at anything that can't be read", Value: declare.Bool.Into(&q.Strict)},
		},
		Answer: q.Answer,
	}
}
