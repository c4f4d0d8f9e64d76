package ask

import "yoyaku/internal/declare"

// Group is where a query stands among the commands.
type Group string

// The groups.
const (
	Rules    Group = "rules"
	Plan     Group = "plan"
	Tables   Group = "tables"
	Facts    Group = "facts"
	HandOver Group = "hand"
)

// Query is something that can be asked, with the fields that its options fill.
type Query struct {
	Name  string
	Group Group
	// Order orders the queries and commands of a group.
	Order int
	// Use is the line that shows its arguments, Short tells in one line what it
	// is for, Long in a few; Examples run in the demo folder.
	Use, Short, Long string
	Examples         string
	// MinArgs and MaxArgs bound its arguments, MaxArgs below 0 not at all; ArgsHelp says what
	// they are.
	MinArgs, MaxArgs int
	ArgsHelp         string
	// ArgsCompletion says what completion offers for arguments: series, calendars.
	ArgsCompletion string
	// TakesTable says that the first argument is a table, ForRecords that an output of a
	// plan can make it of a record.
	TakesTable, ForRecords bool
	// IsSingleValue answers are one value on one line, without options of the result.
	IsSingleValue bool
	// NeedsNoRecord says that an output of a plan makes it without a record.
	NeedsNoRecord bool
	// TakesPlanFile says that the first argument can be a plan's file; IsDrawing that the answer
	// is a picture, for people alone.
	TakesPlanFile, IsDrawing bool
	// GroupBy is the column whose rows are in blocks on a terminal.
	GroupBy string
	// GivesEvents says that the answer can be calendar events.
	GivesEvents bool
	// IgnoresPlan says that the answer needs nothing of a plan: a plan of this folder that
	// can't be read is left aside.
	IgnoresPlan bool
	Options     []*declare.Key
	// Answer works the answer out and hands it to j.To.
	// Rules say which options go together, beyond what each says of itself.
	Rules  []declare.Rule
	Answer func(j *Job) error
}
