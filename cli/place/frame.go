package place

import (
	"bytes"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/textproto"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
)

func frameCommand() *cobra.Command {
	return terminal.Group("frame", "Thermal frames: grids of temperatures", frameListCommand(), frameSendCommand(),
		frameExportCommand(), frameShowCommand(), frameSetCommand())
}

func frameListCommand() *cobra.Command {
	c := &cobra.Command{Use: "list DEVICE", Short: "Frames of a stretch of time", Args: terminal.Exactly("DEVICE"),
		ValidArgsFunction: terminal.DeviceNames, Example: "  jaunty frame list switchboard-eye --since 7d --limit 20"}
	terminal.SpanFlags(c.Flags(), "", "a day back", "now")
	limit := c.Flags().Int("limit", 50, "so many at most, spread over the stretch")
	c.RunE = func(c *cobra.Command, args []string) error {
		q := url.Values{"most": {strconv.Itoa(*limit)}}
		if err := terminal.SpanQuery(c.Flags(), q); err != nil {
			return err
		}
		list, err := terminal.Fetch[api.FrameList](c, api.ListFrames.At(args[0]).Raw(q.Encode()))
		if err != nil {
			return err
		}
		return terminal.Show(c, list, func(w io.Writer) {
			rows := [][]string{}
			for _, f := range list.Frames {
				rows = append(rows, []string{terminal.Clock(&f.At), measure.Figure(f.Low, "Cel"),
					measure.Figure(f.High, "Cel"), strconv.Itoa(f.Doubtful), prose.Bytes(int64(f.Size)),
					map[bool]string{true: "yes"}[f.Pictured]})
			}
			terminal.Table(w, "No frames in that stretch; 'jaunty frame send DEVICE FILE' sends one.",
				[]string{"AT", "LOWEST", "HIGHEST", "DOUBTFUL PIXELS", "SIZE", "PICTURE"}, rows)
			if len(list.Frames) < list.All {
				fmt.Fprintf(w, "%d of %d; --limit shows more.\n", len(list.Frames), list.All)
			}
		})
	}
	return c
}

// kindsOfFrames are the content types by the file's ending.
var kindsOfFrames = map[string]string{".csv": frame.CSV, ".json": frame.JSON, ".cbor": frame.CBOR, ".pgm": frame.PGM}

func frameSendCommand() *cobra.Command {
	c := &cobra.Command{Use: "send DEVICE FILE",
		Short: "Send a frame as a device would: CSV, JSON, CBOR or PGM; - is standard input",
		Args:  terminal.Exactly("DEVICE", "FILE"), ValidArgsFunction: terminal.DeviceNames,
		Example: "  jaunty frame send switchboard-eye frame.pgm --at 10m\n  jaunty frame send switchboard-eye " +
			"frame.csv --picture photo.jpg"}
	at := c.Flags().String("at", "", "when it was taken, if the frame does not say: "+terminal.TimeHelp)
	picture := c.Flags().String("picture", "", "a visible-light picture beside it: PNG, JPEG or WebP")
	c.RunE = func(c *cobra.Command, args []string) error {
		body, kind, err := frameBody(c, args[1], *picture)
		if err != nil {
			return err
		}
		where := api.SendFrame.At()
		if *at != "" {
			then, err := terminal.Moment(*at)
			if err != nil {
				return terminal.Misused("--at: %w", err)
			}
			where = where.Asking("at", then)
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if err := s.SendAs(c.Context(), where, kind, args[0], body); err != nil {
			return err
		}
		return terminal.Show(c, map[string]string{"device": args[0]},
			func(w io.Writer) { fmt.Fprintf(w, "The frame is stored with %s.\n", args[0]) })
	}
	return c
}

// frameBody reads a frame, and puts it into a form beside its picture.
func frameBody(c *cobra.Command, file, picture string) (body []byte, kind string, err error) {
	if file == "-" {
		body, err = io.ReadAll(io.LimitReader(c.InOrStdin(), 32<<20))
	} else {
		body, err = os.ReadFile(file)
	}
	if err != nil {
		return nil, "", err
	}
	kind = kindsOfFrames[filepath.Ext(file)]
	if kind == "" {
		kind = "application/octet-stream" // the service looks what it is
	}
	if picture == "" {
		return body, kind, nil
	}
	beside, err := os.ReadFile(picture)
	if err != nil {
		return nil, "", err
	}
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	for _, part := range []struct {
		name, kind string
		body       []byte
	}{{"frame", kind, body}, {"picture", http.DetectContentType(beside), beside}} {
		out, err := w.CreatePart(
			textproto.MIMEHeader{"Content-Disposition": {fmt.Sprintf(`form-data; name=%q; filename=%[1]q`, part.name)},
				"Content-Type": {part.kind}})
		if err != nil {
			return nil, "", err
		}
		if _, err := out.Write(part.body); err != nil {
			return nil, "", err
		}
	}
	err = w.Close()
	return form.Bytes(), w.FormDataContentType(), err
}

func frameExportCommand() *cobra.Command {
	c := &cobra.Command{Use: "export DEVICE FILE",
		Short: "Write a frame into a file: .png, .csv, .json, .cbor, .pgm, .jpg (its picture); .gif writes a stretch",
		Args:  terminal.Exactly("DEVICE", "FILE"), ValidArgsFunction: terminal.DeviceNames,
		Example: `  jaunty frame export switchboard-eye now.png --regions
  jaunty frame export switchboard-eye then.csv --at 3d
  jaunty frame export switchboard-eye change.png --against 7d
  jaunty frame export switchboard-eye week.gif --since 7d --palette dusk`}
	f := c.Flags()
	terminal.SpanFlags(f, "", "a day back", "now")
	f.String("at", "", "the frame nearest to then; the newest when left out")
	f.String("against", "", "what has changed since that frame: a time, how long ago, or reference")
	f.String("palette", "", strings.Join(frame.PaletteNames(), ", "))
	f.Float64("low", 0, "°C at which the palette begins; the frame's lowest when left out")
	f.Float64("high", 0, "°C at which it ends")
	f.Bool("regions", false, "draw the regions that are looked at")
	f.Bool("as-sent", false, "without correction for emissivity")
	f.Int("width", 0, "pixels of the picture part, about")
	terminal.CompleteFrom(c, "palette", frame.PaletteNames()...)
	c.RunE = func(c *cobra.Command, args []string) error {
		at, err := frameFile(f, args[0], filepath.Ext(args[1]))
		if err != nil {
			return err
		}
		return terminal.Download(c, at, args[1])
	}
	return c
}

// frameFile is where a frame, or a stretch of them, is to be had as a file.
func frameFile(f *pflag.FlagSet, device, ending string) (api.Place, error) {
	q := url.Values{}
	for _, name := range []string{"palette", "low", "high"} {
		if f.Changed(name) {
			q.Set(name, f.Lookup(name).Value.String())
		}
	}
	for name, as := range map[string]string{"regions": "regions", "as-sent": "as_sent"} {
		if on, _ := f.GetBool(name); on {
			q.Set(as, "true")
		}
	}
	if n, _ := f.GetInt("width"); n != 0 {
		q.Set("width", strconv.Itoa(n))
	}
	name := "newest"
	for flag, put := range map[string]func(string){"at": func(t string) { name = t },
		"against": func(t string) { q.Set("against", t) }} {
		text, _ := f.GetString(flag)
		if text == "" {
			continue
		}
		if flag == "against" && text == "reference" {
			put(text)
			continue
		}
		at, err := terminal.Moment(text)
		if err != nil {
			return api.Place{}, terminal.Misused("--%s: %w", flag, err)
		}
		put(at.String())
	}
	if ending == ".gif" {
		if err := terminal.SpanQuery(f, q); err != nil {
			return api.Place{}, err
		}
		return api.GetStrip.At(device).Raw(q.Encode()), nil
	}
	if !slices.Contains([]string{".png", ".csv", ".json", ".cbor", ".pgm", ".jpg"}, ending) {
		return api.Place{}, terminal.Misused("FILE does not end in .png, .csv, .json, .cbor, .pgm, .jpg or .gif")
	}
	return api.GetFrame.At(device, name+ending).Raw(q.Encode()), nil
}
