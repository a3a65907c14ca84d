package files

import (
	"bytes"
	"strings"
	"testing"

	"manudex/core/when"
)

func TestWriteRun(t *testing.T) {
	d := when.NewDate(2026, 11, 12)
	line := RunLine{Run: 8, From: d - 4, To: d + 9, Number: "2034", Family: "Brandt", Given: "Tomasz", Date: d, Job: "2231", JobName: "Gantry, Route 9", Task: "Erecting",
		CostCode: "520", WorkClass: "IRW", PayCode: "REG", Kind: "straight", Class: "regular", Seconds: 37260, Rate: "34.85", Amount: "360.70"}
	premium := line
	premium.Kind, premium.Class, premium.Seconds, premium.Rate, premium.Amount = "overtime_premium", "overtime", 1, "17.425", "0.00"
	leave := RunLine{Run: 8, From: d - 4, To: d + 9, Number: "2011", Family: "=cmd()", Given: `Sol "veig"`, Date: d, PayCode: "PTO", Kind: "leave", Class: "regular", Seconds: 28800, Rate: "22.75", Amount: "182.00"}
	var b bytes.Buffer
	if err := WriteRun(&b, []RunLine{line, premium, leave}); err != nil {
		t.Fatal(err)
	}
	want := strings.Join(RunHeader, ",") + "\r\n" +
		`8,2026-11-08,2026-11-21,2034,Brandt,Tomasz,2026-11-12,2231,"Gantry, Route 9",Erecting,520,IRW,REG,straight,regular,10.3500,,34.85,360.70` + "\r\n" +
		`8,2026-11-08,2026-11-21,2034,Brandt,Tomasz,2026-11-12,2231,"Gantry, Route 9",Erecting,520,IRW,REG,overtime_premium,overtime,,0.0003,17.425,0.00` + "\r\n" +
		`8,2026-11-08,2026-11-21,2011,'=cmd(),"Sol ""veig""",2026-11-12,,,,,,PTO,leave,,8.0000,,22.75,182.00` + "\r\n"
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
