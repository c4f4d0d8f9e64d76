package query

import (
	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
)

func init() { register(newValue) }

// valueQuery is one phrase, one answer.
type valueQuery struct{ base string }

func newValue() *ask.Query {
	q := &valueQuery{}
	return &ask.Query{
		Name: "value", Group: ask.Facts, Order: 1, Use: "value PHRASE", Short: "One phrase, one answer",
		Long: `Work out one phrase and print the answer on one line. Steps that stand alone start from
--base, or from today.`,
		Examples: `  yoyaku value "2027-06-03, +30 days"
  yoyaku value "end of next month, roll preceding" --base 2027-01-20
  yoyaku value "-5 working days" --base 2027-03-15 --calendar england-wales
  yoyaku value "working days from 2027-03-01 to 2027-03-31 using target"`,
		MinArgs: 1, MaxArgs: 1, ArgsHelp: `a phrase, such as "today, +3 months"`, IsSingleValue: true,
		Options: []*declare.Key{{Name: "base", Help: "start leading steps from `DATE` (default: today)",
			Value: declare.Date.Into(&q.base)}},
		Answer: func(j *ask.Job) error {
			prog, from, err := compileFromBase(j, j.Args[0], q.base)
			if err != nil {
				return err
			}
			v, err := prog.Eval([]eval.Value{from})
			if err != nil {
				return err
			}
			return j.FillRows([]string{"value"}, func(put rows.PutRow) error { return put([]eval.Value{v}) })
		},
	}
}

// baseName is the name that leading steps start from; no phrase can hold it, and
// no hint shows it.
const baseName = "\x00base"

// compileFromBase compiles a phrase whose leading steps start from a date.
func compileFromBase(j *ask.Job, text, base string) (*eval.Program, eval.Value, error) {
	from := j.Env.Today
	if base != "" {
		var err error
		if from, err = eval.ComputeDate(base, j.Env); err != nil {
			return nil, eval.Value{}, rows.WrapOption("base", err)
		}
	}
	env := j.Env
	env.Names = []string{baseName}
	prog, err := eval.Compile(text, &phrase.Name{Text: baseName}, env)
	return prog, eval.Day(from), err
}
