package icon
import ("testing";"image/color")
func BenchmarkMake(b *testing.B){
 m,err:=LoadMaster("../../examples/skerry-line/plain/brand/mark.svg"); if err!=nil{b.Fatal(err)}
 for b.Loop(){ if _,err:=Make(m,color.NRGBA{0,80,100,255});err!=nil{b.Fatal(err)} }
}
