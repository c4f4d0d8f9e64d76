package query

import (
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

func init() { register(newBetween) }

// betweenPhrases are the measures of `between`, in its order.
var betweenPhrases = []string{
	"days from A to B", "days from A through B", "working days from A to B", "working days from A through B",
	"weekdays from A to B", "weeks from A to B", "months from A to B", "months from A through B",
	"started months from A to B",
	"quarters from A to B", "years from A to B", "age from A to B",
	"30/360 US days from A to B", "30/360 bond days from A to B", "30E/360 days from A to B",
	"30E/360 ISDA days from A to B",
	"30/360 US years from A to B", "30/360 bond years from A to B", "30E/360 years from A to B",
	"30E/360 ISDA years from A to B",
	"ACT/360 years from A to B", "ACT/365F years from A to B", "ACT/ACT ISDA years from A to B",
}

func newBetween() *ask.Query {
	return &ask.Query{
		IgnoresPlan: true, Name: "between", Group: ask.Facts, Order: 2, Use: "between A B", Short: "Every measure between two dates",
		Long: `List every measure between two dates: days (to leaves out the first day, through counts
both ends), working days, complete weeks, months and years, age, and day counts and year
fractions by the published conventions.`,
		Examples: `  yoyaku between 2027-02-28 2027-08-31
  yoyaku between 2027-02-28 2027-08-31 --calendar england-wales
  yoyaku between today "today, +6 months"`,
		MinArgs: 2, MaxArgs: 2, ArgsHelp: "two dates, such as 2027-02-28 2027-08-31",
		Answer: func(j *ask.Job) error {
			var row []eval.Value
			for _, text := range j.Args {
				d, err := eval.ComputeDate(text, j.Env)
				if err != nil {
					return err
				}
				row = append(row, eval.Day(d))
			}
			env := j.Env
			env.Names = []string{"A", "B"}
			names := strings.NewReplacer(" A ", " "+row[0].String()+" ", " B", " "+row[1].String())
			return j.FillRows([]string{"measure", "result"}, func(put rows.PutRow) error {
				for _, text := range betweenPhrases {
					prog, err := eval.Compile(text, nil, env)
					if err != nil {
						return err
					}
					v, err := prog.Eval(row)
					if err != nil {
						return err
					}
					if err := put([]eval.Value{eval.Str(names.Replace(text)), v}); err != nil {
						return err
					}
				}
				return nil
			})
		},
	}
}
