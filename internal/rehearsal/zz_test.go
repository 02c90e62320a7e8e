package rehearsal
import ("context";"os";"testing";"tachyform/internal/condition";"tachyform/internal/site";"tachyform/internal/project")
func TestZZ(t *testing.T) {
	f, err := site.OpenFolder(os.Getenv("ZZ"), "https://x.example", "/", project.Hosting{Index: []string{"index.html"}, Slash: "add", Extensionless: "none"})
	if err != nil { t.Fatal(err) }
	r := &Rehearsal{Hosts: []site.Host{f}, Visit: []string{"https://x.example/"}, Pages: []string{"https://x.example/"}, Conditions: []condition.Condition{condition.Online}}
	_, err = r.Run(context.Background())
	t.Log(err)
}
