#include "textflag.h"

// func markVectors(text *byte, delimiter byte, blocks *marks, n int)
TEXT ·markVectors(SB), NOSPLIT, $0-32
	MOVQ         text+0(FP), SI
	MOVQ         blocks+16(FP), DI
	MOVQ         n+24(FP), CX
	VPBROADCASTB delimiter+8(FP), Y0
	MOVL         $0x0a, AX
	MOVQ         AX, X1
	VPBROADCASTB X1, Y1
	MOVL         $0x22, AX
	MOVQ         AX, X2
	VPBROADCASTB X2, Y2

block:
	VMOVDQU   (SI), Y3
	VMOVDQU   32(SI), Y4
	VPCMPEQB  Y3, Y0, Y5
	VPCMPEQB  Y4, Y0, Y6
	VPMOVMSKB Y5, R8
	VPMOVMSKB Y6, R9
	SHLQ      $32, R9
	ORQ       R9, R8
	MOVQ      R8, 0(DI)
	VPCMPEQB  Y3, Y1, Y5
	VPCMPEQB  Y4, Y1, Y6
	VPMOVMSKB Y5, R8
	VPMOVMSKB Y6, R9
	SHLQ      $32, R9
	ORQ       R9, R8
	MOVQ      R8, 8(DI)
	VPCMPEQB  Y3, Y2, Y5
	VPCMPEQB  Y4, Y2, Y6
	VPMOVMSKB Y5, R8
	VPMOVMSKB Y6, R9
	SHLQ      $32, R9
	ORQ       R9, R8
	MOVQ      R8, 16(DI)
	VPMOVMSKB Y3, R8
	VPMOVMSKB Y4, R9
	SHLQ      $32, R9
	ORQ       R9, R8
	MOVQ      R8, 24(DI)
	ADDQ      $64, SI
	ADDQ      $32, DI
	DECQ      CX
	JNZ       block
	VZEROUPPER
	RET
