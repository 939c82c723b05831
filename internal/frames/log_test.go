package frames

import (
	"bytes"
	"image/png"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"dappertally/core/reading"
)

func TestRead(t *testing.T) {
	for _, c := range []struct {
		name, log string
		form      Form
		want      []float64
		remark    string
	}{
		{"by name", "frame,ms\n0,16.6\n1,17\n", Form{Column: "ms"}, []float64{16.6, 17}, ""},
		{"by name in other letters", "Frame , MS\n0, 16.6 \n", Form{Column: "ms"}, []float64{16.6}, ""},
		{"by number, with a heading", "frame;ms\n0;16.6\n", Form{Column: "2"}, []float64{16.6}, ""},
		{"by number, without one", "16.6\n17\n", Form{Column: "1"}, []float64{16.6, 17}, "no unit is given"},
		{"found out", "fps,FrameTime,cpu\n60,16.6,40\n", Form{}, []float64{16.6}, "no unit is given"},
		{"the only column", "16.6\n17\n", Form{}, []float64{16.6, 17}, "no unit is given"},
		{"tabs and seconds", "t\ta\n1\t0.5\n", Form{Column: "a", Unit: "s"}, []float64{500}, ""},
		{"microseconds", "us\n16600\n", Form{Column: "us", Unit: "us"}, []float64{16.6}, ""},
		{"Windows line ends and a byte order mark", "\ufeffms\r\n10\r\n20\r\n", Form{}, []float64{10, 20}, ""},
		{"commas for points", "bild;ms\n1;16,6\n2;17,25\n", Form{}, []float64{16.6, 17.25}, ""},
		{"commas for points, one column", "ms\n16,6\n", Form{Comma: true}, []float64{16.6}, ""},
		{"bars", "a|ms\n1|2\n", Form{}, []float64{2}, ""},
		{"spaces", "frame   ms\n   1   16.6\n", Form{}, []float64{16.6}, ""},
		{"lines before the heading", "game,harbour flight\nversion 3\n\nms,gpu\n5,1\n6,1\n", Form{}, []float64{5, 6}, ""},
		{"quoted headings", "\"frame\",\"ms\"\n1,\"7.5\"\n", Form{}, []float64{7.5}, ""},
		{"time stamps", "ms\n100\n116\n133\n", Form{Stamps: true}, []float64{16, 17}, ""},
		{"gaps", "n,ms\n1,5\n2,\n3,6\n", Form{}, []float64{5, 6}, "1 line without a frame time skipped"},
		{"a last line cut off", "n,ms\n1,5\n2,6\n3", Form{}, []float64{5, 6}, "line 4, the last, is cut off"},
		{"a delimiter at the end", "n;ms\n1;5;\n2;6;\n", Form{}, []float64{5, 6}, ""},
		{"a number cut off", "ms\n10\n11\n1e", Form{}, []float64{10, 11}, "line 4, the last, is cut off"},
		{"the heading says the unit", "frame,seconds\n0,0.0166\n1,0.017\n", Form{Column: "seconds"}, []float64{16.6, 17}, ""},
		{"the heading says it in brackets", "n;Frame time (ns)\n1;16600000\n", Form{}, []float64{16.6}, ""},
		{"the heading says it at its end", "n,delta_us\n1,16600\n", Form{}, []float64{16.6}, ""},
		{"the heading of the only column", "delta_us\n16600\n17000\n", Form{}, []float64{16.6, 17}, ""},
		{"capitals part words", "FrameDeltaNs,cpu\n16600000,4\n", Form{}, []float64{16.6}, ""},
		{"a number for a column with a heading", "frame,time_us\n0,16600\n", Form{Column: "2"}, []float64{16.6}, ""},
		{"asked otherwise than the heading says", "n,delta_us\n1,16.6\n", Form{Unit: "ms"}, []float64{16.6}, "although the heading"},
		{"no unit", "n,delta\n1,16.6\n", Form{}, []float64{16.6}, "no unit is given"},
		{"rates of frames", "fps\n60\n50\n", Form{Rate: true}, []float64{1000.0 / 60, 20}, ""},
		{"rates that nothing names", "60\n50\n", Form{Rate: true}, []float64{1000.0 / 60, 20}, ""},
		{"times read as rates", "ms\n50\n", Form{Rate: true}, []float64{20}, "although its heading does not say so"},
		{"time stamps by their heading", "frame,timestamp_us\n1,1000\n2,17600\n3,34600\n", Form{}, []float64{16.6, 17}, "holds time stamps"},
		{"UTF-16, little end first", "\xff\xfem\x00s\x00\n\x001\x000\x00\n\x00", Form{}, []float64{10}, ""},
		{"UTF-16, big end first", "\xfe\xff\x00m\x00s\x00\n\x001\x000\x00\n", Form{}, []float64{10}, ""},
		{"UTF-16 without a mark", "m\x00s\x00\r\x00\n\x001\x000\x00\r\x00\n\x00", Form{}, []float64{10}, ""},
		{"another delimiter", "n:ms\n1:5\n", Form{Delimiter: ':'}, []float64{5}, ""},
	} {
		l, err := Read(strings.NewReader(c.log), c.form)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		if got := slices.Collect(l.Times()); !slices.EqualFunc(
			got, c.want, func(a, b float64) bool { return math.Abs(a-b) < 1e-9 },
		) {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
		if got := strings.Join(l.Remarks, "; "); (c.remark == "") != (got == "") || !strings.Contains(got, c.remark) {
			t.Errorf("%s: it remarks %q, want %q", c.name, got, c.remark)
		}
	}
}

func TestReadRefuses(t *testing.T) {
	rising := "ms\n" + strings.Join(strings.Fields(strings.Repeat("x ", 200)), "\n")
	for i := range 200 {
		rising = strings.Replace(rising, "x", strconv.Itoa(1000+16*i), 1)
	}
	for _, c := range []struct {
		name, log string
		form      Form
		says      string
	}{
		{"an empty log", "", Form{Column: "ms"}, "no first line"},
		{"a heading alone", "ms\n", Form{}, "has no frame times"},
		{"no such column", "a,b\n1,2\n", Form{Column: "c"}, `no column "c"; the first line is "a,b"`},
		{"a column beyond the last", "1,2\n", Form{Column: "3"}, "no column"},
		{"which of several", "a,b\n1,2\n", Form{}, "which column"},
		{"a word", "ms\n10\nfast\n12\n", Form{}, "line 3: \"fast\" is not a frame time"},
		{"a word at the end", "ms\n10\nfast\n", Form{}, "line 3: \"fast\" is not a frame time"},
		{"more columns than the heading", "a;ms\n1;2;3\n", Form{}, "line 2: has 3 columns, and the heading has 2"},
		{"not a number", "ms\nNaN\n", Form{}, "above 0"},
		{"infinite", "ms\nInf\n", Form{}, "above 0"},
		{"below zero", "ms\n-3\n", Form{}, "line 2"},
		{"a short line", "a,ms\n1,2\n3\n4,5\n", Form{}, "line 3: has 1 columns"},
		{"begun anew", "n,ms\n1,5\nn,ms\n1,6\n", Form{}, "line 3: the heading appears again"},
		{"time goes back", "s\n1.0\n1.1\n0.2\n", Form{Column: "s", Unit: "s", Stamps: true}, "line 4: time goes from 1.1 to 0.2"},
		{"time stamps taken for times", rising, Form{}, "--timestamps"},
		{"a rate taken for a time", "fps\n60\n59\n", Form{}, `column "fps" holds a rate`},
		{"a rate beside nothing else", "frame,fps\n1,60\n", Form{}, `column "fps" holds a rate`},
		{"a rate asked for by name", "ms,Frames/s\n16,60\n", Form{Column: "Frames/s"}, "holds a rate"},
		{"a rate asked for in ms", "fps\n60\n", Form{Unit: "ms"}, "holds a rate"},
		{"a rate in ms", "fps\n60\n", Form{Unit: "ms", Rate: true}, "combined with a unit of time"},
		{"a rate of zero", "fps\n60\n0\n", Form{Rate: true}, "above 0"},
		{"an unknown unit", "ms\n1\n", Form{Unit: "min"}, "unit must be"},
		{"no log at all", strings.Repeat("x", 2<<20), Form{}, "longer than a mebibyte"},
	} {
		if l, err := Read(strings.NewReader(c.log), c.form); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, %v; want an error saying %q", c.name, l, err, c.says)
		}
	}
}

// TestLongLog has more frames than stay in memory, and the same figures as if they did.
func TestLongLog(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 2))
	var text bytes.Buffer
	text.WriteString("ms\n")
	times := make([]float64, held+held/3)
	for i := range times {
		times[i] = math.Round(1000*(8+4*r.ExpFloat64())) / 1000
		text.WriteString(strconv.FormatFloat(times[i], 'f', -1, 64) + "\n")
	}
	l, err := Read(&text, Form{})
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	if l.file == nil || l.held != nil {
		t.Fatal("the log stayed in memory")
	}
	got, err := reading.SumFrames(l.Times())
	if err != nil || l.Err() != nil {
		t.Fatal(err, l.Err())
	}
	want, err := reading.SumFrames(slices.Values(times))
	if err != nil {
		t.Fatal(err)
	}
	if got.Count != len(times) || got.Average != want.Average || got.Lows[1] != want.Lows[1] {
		t.Errorf("got %+v, want %+v", got, want)
	}
}

func TestDraw(t *testing.T) {
	times := make([]float64, 5000)
	for i := range times {
		times[i] = 12 + 6*math.Sin(float64(i)/300)
	}
	times[2500] = 90
	f, err := reading.SumFrames(slices.Values(times))
	if err != nil {
		t.Fatal(err)
	}
	course := reading.Course(slices.Values(times), f.Duration, Slots)
	var raster, vector bytes.Buffer
	if err := Draw(&raster, "run.png", "run", course, &f); err != nil {
		t.Fatal(err)
	}
	if _, err := png.Decode(&raster); err != nil {
		t.Error(err)
	}
	if err := Draw(&vector, "run.SVG", "run", course, &f); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(vector.String(), "1 % low, tail mean") {
		t.Error("the low is not labelled")
	}
}
