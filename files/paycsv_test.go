package files

import (
	"bytes"
	"encoding/csv"
	"slices"
	"strings"
	"testing"

	"manudex/core/when"
)

func TestWriteRun(t *testing.T) {
	d := when.NewDate(2026, 11, 12)
	line := RunLine{Run: 8, From: d - 4, To: d + 9, Number: "2034", Family: "Brandt", Given: "Tomasz", Date: d, Job: "2231",
		JobName: "Gantry, Route 9", Task: "Erecting",
		CostCode: "520", WorkClass: "IRW", PayCode: "REG", Kind: "straight", Class: "regular", Seconds: 37260, Rate: "34.85",
		Amount: "360.70", Account: "5100-field", Currency: "USD"}
	premium := line
	premium.Kind, premium.Class, premium.Seconds, premium.Rate, premium.Amount = "overtime_premium", "overtime", 1, "17.425", "0.00"
	leave := RunLine{Run: 8, From: d - 4, To: d + 9, Number: "2011",
		Family: "=cmd()", Given: `Sol "veig"`, Date: d, PayCode: "PTO", Kind: "leave", Class: "regular", Seconds: 28800,
		Rate: "22.75", Amount: "182.00", Currency: "USD"}
	var b bytes.Buffer
	if err := WriteRun(&b, []RunLine{line, premium, leave}); err != nil {
		t.Fatal(err)
	}
	want := strings.Join(RunHeader, ",") + "\r\n" +
		`8,2026-11-08,2026-11-21,2034,Brandt,Tomasz,2026-11-12,2231,"Gantry, Route 9",Erecting,` +
		`520,IRW,REG,straight,regular,10.3500,,34.85,360.70,5100-field,USD` + "\r\n" +
		`8,2026-11-08,2026-11-21,2034,Brandt,Tomasz,2026-11-12,2231,"Gantry, Route 9",Erecting,` +
		`520,IRW,REG,overtime_premium,overtime,,0.0003,17.425,0.00,5100-field,USD` + "\r\n" +
		`8,2026-11-08,2026-11-21,2011,'=cmd(),"Sol ""veig""",2026-11-12,,,,,,PTO,leave,,8.0000,,22.75,182.00,,USD` + "\r\n"
	if b.String() != want {
		t.Errorf("got\n%s\nwant\n%s", b.String(), want)
	}
}

// Four decimals tell every second apart, and give it back.
func TestHours4(t *testing.T) {
	for n := int64(0); n < 200_000; n++ {
		s := Hours4(n)
		whole, frac, _ := strings.Cut(s, ".")
		var back int64
		for _, c := range whole + frac {
			back = back*10 + int64(c-'0')
		}
		if got := (back*3600 + 5000) / 10_000; got != n {
			t.Fatalf("%d s are written %s, which is %d s", n, s, got)
		}
	}
	if s := Hours4(-5400); s != "-1.5000" {
		t.Errorf("an hour and a half taken back: %s", s)
	}
}

// Adding up hours counts each once, whatever is paid on top of them.
func TestOnHours(t *testing.T) {
	var lines []RunLine
	for _, kind := range []string{"straight", "paid_not_worked", "leave",
		"overtime_premium", "double_premium", "differential", "holiday_premium", "fringe", "fringe_plan",
		"callout", "meal_premium", "extra"} {
		lines = append(lines, RunLine{Kind: kind, Seconds: 3600})
	}
	var b strings.Builder
	if err := WriteRun(&b, lines); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(strings.NewReader(b.String())).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	at := func(name string) int { return slices.Index(RunHeader, name) }
	var hours []string
	for _, r := range rows[1:] {
		if r[at("hours")] != "" {
			hours = append(hours, r[at("kind")])
		}
		if r[at("hours")] != "" && r[at("on_hours")] != "" {
			t.Errorf("%s carries its hours twice", r[at("kind")])
		}
	}
	if got := strings.Join(hours, " "); got != "straight paid_not_worked leave" {
		t.Errorf("hours stand on %s", got)
	}
}

func TestPlainText(t *testing.T) {
	for text, want := range map[string]string{"": "", "Lund": "Lund", "=1+1": "'=1+1",
		"@x": "'@x", "+1 555 010 0199": "+1 555 010 0199", "-12.50": "-12.50", "-1+cmd|x": "'-1+cmd|x",
		"+SUM(A1)": "'+SUM(A1)", "\t=1": "'\t=1"} {
		if got := PlainText(text); got != want {
			t.Errorf("%q becomes %q, want %q", text, got, want)
		}
	}
}
